import { convert } from 'html-to-text'
import { escapeHtml } from './liquid'

/** A text as one line: every run of control characters and line ends becomes one space, so that no header can be broken (RFC 5322 section 2.2). */
export function oneLine(text: string): string {
  // biome-ignore lint/suspicious/noControlCharactersInRegex: control characters are what is taken out
  return text.replaceAll(/[\u0000-\u001f\u007f\u0085\u2028\u2029]+/g, ' ').trim()
}

/** The plain text of an HTML body: links written out, tables as rows. */
export function htmlToText(html: string): string {
  return convert(html, {
    wordwrap: 78,
    selectors: [
      { selector: 'a', options: { hideLinkHrefIfSameAsText: true } },
      { selector: 'img', format: 'skip' },
      { selector: 'table', format: 'dataTable' },
    ],
  })
}

/** Plain text as HTML: paragraphs kept, addresses of pages made links. */
export function textToHtml(text: string): string {
  const linked = (line: string) => escapeHtml(line).replaceAll(/https?:\/\/[^\s<>&"']+(?:&amp;[^\s<>&"']+)*/g, (url) => `<a href="${url}">${url}</a>`)
  return text
    .trimEnd()
    .split(/\n{2,}/)
    .map((paragraph) => `<p>${paragraph.split('\n').map(linked).join('<br>\n')}</p>`)
    .join('\n')
}
