/** A placeholder that prints the record's page. */
const LINK = /^\{\{-?\s*link\s*-?\}\}/

/**
 * A formatted body in which the record's page, where it stands as text, is a link to it; where it is an address already, in a tag or inside a link, it stays.
 * The body is read in one pass.
 */
export function linkedPages(body: string): string {
  let made = ''
  let from = 0
  let isLink = false
  for (let at = 0; at < body.length; ) {
    if (body[at] === '<') {
      const end = body.indexOf('>', at)
      if (end < 0) break
      if (/^a[\s>]/i.test(body.slice(at + 1, at + 3))) isLink = true
      else if (/^\/a[\s>]/i.test(body.slice(at + 1, at + 4))) isLink = false
      at = end + 1
    } else if (body.startsWith('{{', at)) {
      const source = LINK.exec(body.slice(at, at + 40))?.[0]
      if (source && !isLink) {
        made += `${body.slice(from, at)}<a href="{{ link }}">${source}</a>`
        from = at + source.length
      }
      at += source?.length ?? 2
    } else at++
  }
  return made + body.slice(from)
}
