const IMAGE = /(<img\b[^>]*?\bsrc\s*=\s*)(["'])cid:([^"'<>]+)\2/gi

/** The names that a message's HTML refers to as images inside it (`<img src="cid:name">`, RFC 2392), each once. */
export function imagesIn(html: string): string[] {
  if (!/cid:/i.test(html)) return []
  return [...new Set([...html.matchAll(IMAGE)].map((m) => decoded(m[3] as string)))]
}

/** The HTML with the names of images replaced by what is given for them, under another scheme where one is given; names without anything stay. */
export function replaceImages(html: string, forName: (name: string) => string | undefined, scheme = 'cid:'): string {
  return html.replaceAll(IMAGE, (all, start: string, quote: string, name: string) => {
    const found = forName(decoded(name))
    return found ? `${start}${quote}${scheme}${found}${quote}` : all
  })
}

/** A name as it was meant: percent-encoding of a URL undone where it is one. */
function decoded(name: string): string {
  try {
    return decodeURIComponent(name.replaceAll('&amp;', '&'))
  } catch {
    return name
  }
}
