/**
 * A message as an entry of a mailbox file: the default format of RFC 4155, with lines that begin with From quoted ("mboxrd").
 * `source` is RFC 5322 source, one character a byte.
 */
export function mboxEntry(source: string, from: string, at: Date): string {
  const quoted = source.replaceAll('\r\n', '\n').replaceAll(/^(>*From )/gm, '>$1')
  return `From ${from || 'MAILER-DAEMON'} ${at.toUTCString()}\n${quoted}\n`
}
