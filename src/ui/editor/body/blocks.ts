import { must } from '@/core/must'

const BLOCK = /\ue000(\d+)\ue001\s*<(tr|li|p|h[1-6])\b([^>]*)>/g
const END = /^\s*\ue000(\d+)\ue001/
const MARKED = /<(tr|li|p|h[1-6])\b([^>]*?) data-(each|when)="([^"]*)"([^>]*)>/

/** A tag that a whole block can stand in: a repetition over a list, or a condition. */
const TAGS: readonly { readonly opens: RegExp; readonly ends: string; readonly attribute: 'each' | 'when' }[] = [
  { opens: /^\{% for (\w+ in [\w.]+) %\}$/, ends: '{% endfor %}', attribute: 'each' },
  { opens: /^\{% (if [^%]+?) %\}$/, ends: '{% endif %}', attribute: 'when' },
  { opens: /^\{% (unless [^%]+?) %\}$/, ends: '{% endunless %}', attribute: 'when' },
]

/** A text as it stands in an attribute's value. */
export const escaped = (text: string) => text.replaceAll('&', '&amp;').replaceAll('"', '&quot;').replaceAll('<', '&lt;').replaceAll('>', '&gt;')
/** The reverse of `escaped`. */
export const unescaped = (text: string) => text.replaceAll('&lt;', '<').replaceAll('&gt;', '>').replaceAll('&quot;', '"').replaceAll('&amp;', '&')

/** Where the element that begins before `from` ends, its closing tag included; null where it does not. */
function endOf(html: string, name: string, from: number): number | null {
  const tags = new RegExp(`<(/?)${name}\\b[^>]*>`, 'g')
  tags.lastIndex = from
  let depth = 1
  for (let tag = tags.exec(html); tag; tag = tags.exec(html)) {
    depth += tag[1] ? -1 : 1
    if (depth === 0) return tags.lastIndex
  }
  return null
}

/**
 * Makes Liquid that encloses one whole row, list entry, paragraph or heading an attribute of it: `data-each="b in bookings"`,
 * `data-when="if claim.owner"`. `html` has its Liquid as marks, whose sources are in `kept`.
 */
export function blocksMarked(html: string, kept: readonly string[]): string {
  for (const block of html.matchAll(BLOCK)) {
    const [all, mark = '', name = '', attributes = ''] = block
    const tag = TAGS.find((t) => t.opens.test(must(kept[Number(mark)])))
    if (!tag || attributes.includes(`data-${tag.attribute}=`)) continue
    const begin = block.index
    const close = endOf(html, name, begin + all.length)
    const end = close === null ? null : END.exec(html.slice(close))
    if (close === null || !end || kept[Number(end[1])] !== tag.ends) continue
    const said = escaped(heldWhen(must(tag.opens.exec(must(kept[Number(mark)]))?.[1])))
    const marked = `<${name}${attributes} data-${tag.attribute}="${said}">${html.slice(begin + all.length, close)}`
    return blocksMarked(html.slice(0, begin) + marked + html.slice(close + end[0].length), kept)
  }
  return html
}

/** The reverse of `blocksMarked`: the tags stand around their blocks again, a repetition outside a condition. */
export function blocksWritten(html: string): string {
  const found = MARKED.exec(html)
  if (!found) return html
  const [all, name = '', before = '', , , after = ''] = found
  const rest = `${before}${after}`
  const attributes = `${before} data-${found[3]}="${found[4]}"${after}`
  const one = (attribute: string) => new RegExp(` data-${attribute}="([^"]*)"`).exec(attributes)?.[1]
  const [each, when] = [one('each'), one('when')]
  const end = endOf(html, name, found.index + all.length)
  const close = end ?? html.length
  const opening = `${each ? `{% for ${unescaped(each)} %}` : ''}${when ? `{% ${saidWhen(unescaped(when))} %}` : ''}`
  const closing = `${when ? `{% end${when.split(' ')[0]} %}` : ''}${each ? '{% endfor %}' : ''}`
  const bare = rest.replaceAll(/ data-(each|when)="[^"]*"/g, '')
  return blocksWritten(`${html.slice(0, found.index)}${opening}<${name}${bare}>${html.slice(found.index + all.length, close)}${closing}${html.slice(close)}`)
}

/** What a condition says, without the signs that would end a tag where it stands in an attribute. */
export const heldWhen = (when: string) => when.replaceAll('>', '\ue002').replaceAll('<', '\ue003')
/** The reverse of `heldWhen`. */
export const saidWhen = (held: string) => held.replaceAll('\ue002', '>').replaceAll('\ue003', '<')
