import type { Transporter } from 'nodemailer'
import MimeNode from 'nodemailer/lib/mime-node'
import { encode, wrap } from 'nodemailer/lib/qp'

/**
 * The source of a message, RFC 5322 with parts by RFC 2046 section 5.1, as its nodes would stream it, in one go; null where a part is not text
 * held in memory. Every header and every encoded body is nodemailer's.
 */
export function serialise(node: MimeNode): string | null {
  const head = `${node.buildHeaders()}\r\n\r\n`
  if (!node.multipart) {
    const body = contentOf(node)
    return body === null ? null : head + body
  }
  const parts = node.childNodes.map(serialise)
  return parts.includes(null) ? null : `${head}--${node.boundary}\r\n${parts.join(`\r\n--${node.boundary}\r\n`)}\r\n--${node.boundary}--\r\n`
}

function contentOf(node: MimeNode): string | null {
  if (!node.content) return ''
  if (typeof node.content !== 'string') return null
  const encoding = node.getTransferEncoding()
  if (encoding === 'quoted-printable') return wrap(encode(node.content))
  return encoding === '7bit' ? node.content : null
}

/** A message whose source is written already, with the envelope and the Message-ID of the one it stands for. */
function written(source: string, message: MimeNode): MimeNode {
  const { from, to } = message.getEnvelope()
  return new MimeNode('message/rfc822').setHeader('Message-ID', message.messageId()).setEnvelope({ from, to }).setRaw(source)
}

/**
 * Makes a transport write text messages in one go instead of streaming each through a dozen streams, which costs more than the server's answer;
 * messages with files are streamed as ever.
 */
export function serialiseAtOnce(transport: Transporter): Transporter {
  transport.use('stream', (mail, done) => {
    const source = serialise(mail.message)
    if (source !== null) mail.message = written(source, mail.message)
    done()
  })
  return transport
}
