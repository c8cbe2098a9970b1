import type { EmailAction } from '../document/document'

/** A tag that mail bodies are made of; what merely stands in angle brackets, as in “Dear <name>”, is none. */
const TAG = /<\/?(?:p|div|span|br|hr|a|b|i|u|em|strong|small|h[1-6]|ul|ol|li|table|thead|tbody|tr|t[dh]|img|blockquote|pre|code|html|head|body|style|font|center)(?:\s[^<>]*)?\/?>/i

/** The format of a body that does not say it: HTML where it holds tags, else plain text. */
export function formatOf(body: string): 'rich' | 'plain' {
  return TAG.test(body) ? 'rich' : 'plain'
}

/** What a template brings into an email. */
interface Text {
  readonly subject: string
  readonly body: string
  readonly format: 'rich' | 'plain'
}

/** An email's texts with their format: its own before those of its template. */
export function emailText(action: Pick<EmailAction, 'subject' | 'body' | 'format'>, template: Text | undefined): Text {
  const body = action.body ?? template?.body ?? ''
  return { subject: action.subject ?? template?.subject ?? '', body, format: action.format ?? template?.format ?? formatOf(body) }
}
