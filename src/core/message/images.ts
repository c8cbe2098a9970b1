/** Where an image of the library is named in HTML: from which character to which, between its quotes. */
interface ImageName {
  readonly from: number
  readonly to: number
  readonly name: string
}

const SCHEME = 'cid:'

/**
 * The names that HTML refers to as images inside the message (`<img src="cid:name">`, RFC 2392), in order; read in one pass, each character once,
 * whatever the text holds.
 */
function* namesIn(html: string): Generator<ImageName> {
  const lower = html.toLowerCase()
  for (let tag = lower.indexOf('<img'); tag >= 0; ) {
    const end = lower.indexOf('>', tag)
    if (end < 0) return
    if (/[\s/]/.test(lower[tag + 4] ?? '')) {
      const found = sourceIn(html, lower, tag + 4, end)
      if (found) yield found
    }
    tag = lower.indexOf('<img', end)
  }
}

/** The first `src` of a tag between two places, where it names an image inside the message. */
function sourceIn(html: string, lower: string, from: number, end: number): ImageName | null {
  for (let at = lower.indexOf('src', from); at >= 0 && at < end; at = lower.indexOf('src', at + 3)) {
    if (!/[\s/"']/.test(lower[at - 1] ?? '')) continue
    const equals = skipSpace(html, at + 3)
    if (html[equals] !== '=') continue
    const open = skipSpace(html, equals + 1)
    const quote = html[open]
    if (quote !== '"' && quote !== "'") continue
    const close = html.indexOf(quote, open + 1)
    if (close < 0 || close > end || !lower.startsWith(SCHEME, open + 1)) return null
    const name = html.slice(open + 1 + SCHEME.length, close)
    return name === '' || name.includes('<') ? null : { from: open + 1, to: close, name: decoded(name) }
  }
  return null
}

function skipSpace(text: string, from: number): number {
  let at = from
  while (/\s/.test(text[at] ?? '')) at++
  return at
}

/** The names that a message's HTML refers to as images inside it, each once. */
export function imagesIn(html: string): string[] {
  return [...new Set([...namesIn(html)].map((image) => image.name))]
}

/** The HTML with the names of images replaced by what is given for them, under another scheme where one is given; names without anything stay. */
export function replaceImages(html: string, forName: (name: string) => string | undefined, scheme = SCHEME): string {
  const parts: string[] = []
  let from = 0
  for (const image of namesIn(html)) {
    const found = forName(image.name)
    if (!found) continue
    parts.push(html.slice(from, image.from), scheme, found)
    from = image.to
  }
  return [...parts, html.slice(from)].join('')
}

/** A name as it was meant: percent-encoding of a URL undone where it is one. */
function decoded(name: string): string {
  try {
    return decodeURIComponent(name.replaceAll('&amp;', '&'))
  } catch {
    return name
  }
}
