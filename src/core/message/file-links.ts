import { withAtEnd } from './at-end'
import { escapeHtml } from './liquid'
import type { RenderedMessage } from './render'

/** A file that a message leads to rather than carries. */
export interface LinkedFile {
  readonly file: number
  readonly name: string
  /** In bytes. */
  readonly size: number
}

/** For how many days a link in a mail leads to its file. */
export const LINK_DAYS = 30

const linkTo = (baseUrl: string, key: string) => `${baseUrl}/api/file/${key}`
/** Stands in a planned message's link for the key that the file gets when the message is queued. */
const unsigned = (file: number) => `file-${file}-of-this-message`

const sizeWords = (bytes: number) => (bytes < 1_000_000 ? `${Math.max(1, Math.round(bytes / 1_000))} kB` : `${(bytes / 1_000_000).toFixed(1)} MB`)

/** A message that ends with links to files; they are signed when the message is queued. */
export function withFileLinks<M extends RenderedMessage>(message: M, files: readonly LinkedFile[], baseUrl: string): M {
  if (files.length === 0) return message
  const lines = files.map((f) => ({ words: `${f.name} (${sizeWords(f.size)})`, link: linkTo(baseUrl, unsigned(f.file)) }))
  const html = `<ul>${lines.map(({ words, link }) => `<li><a href="${escapeHtml(link)}">${escapeHtml(words)}</a></li>`).join('')}</ul>`
  return withAtEnd(message, html, lines.map(({ words, link }) => `${words}: ${link}`).join('\n'))
}

/** The message's texts with signed keys in the links to its files; what leads to others, such as a text of a record, stays as it is. */
export function signFileLinks(
  message: Pick<RenderedMessage, 'html' | 'text'>,
  baseUrl: string,
  files: readonly number[],
  keyOf: (file: number) => string,
): { html: string; text: string } {
  const sign = (text: string) => files.reduce((signed, file) => signed.replaceAll(linkTo(baseUrl, unsigned(file)), linkTo(baseUrl, keyOf(file))), text)
  return { html: sign(message.html), text: sign(message.text) }
}
