import type { RenderedMessage } from './render'

/** A message with something at its end: in the HTML before the body's end where it has one, and as lines below the text. */
export function withAtEnd<M extends RenderedMessage>(message: M, html: string, lines: string): M {
  const end = message.html.search(/<\/body>/i)
  return {
    ...message,
    html: end < 0 ? `${message.html}\n${html}` : `${message.html.slice(0, end)}${html}${message.html.slice(end)}`,
    text: `${message.text.trimEnd()}\n\n${lines}\n`,
  }
}
