import { withAtEnd } from './at-end'
import { escapeHtml } from './liquid'
import type { RenderedMessage } from './render'

/** Stands in a planned message's link for the key that the message gets when it is queued. */
const UNSIGNED = 'this-message'

/** The link "why you got this" of a message that is not queued yet. */
export const unsignedWhyLink = (baseUrl: string) => linkOf(baseUrl, UNSIGNED)

const linkOf = (baseUrl: string, key: string) => `${baseUrl}/why/${key}`

const WHY_WORDS = 'Why you got this'
/** The same where recipients may say stop behind it. */
export const STOP_WORDS = 'Why you got this, and how to stop it'

/** A message with the link "why you got this" at its end; the link is signed when the message is queued. */
export function withWhyFooter<M extends RenderedMessage>(message: M, baseUrl: string, words = WHY_WORDS): M {
  const link = unsignedWhyLink(baseUrl)
  const html = `<p style="margin-top:2em;font-size:smaller"><a href="${escapeHtml(link)}">${words}</a></p>`
  return withAtEnd(message, html, `-- \n${words}: ${link}`)
}

/** The message's texts with the signed key in the link. */
export function signWhyFooter(message: Pick<RenderedMessage, 'html' | 'text'>, baseUrl: string, key: string): { html: string; text: string } {
  const sign = (text: string) => text.replaceAll(unsignedWhyLink(baseUrl), linkOf(baseUrl, key))
  return { html: sign(message.html), text: sign(message.text) }
}
