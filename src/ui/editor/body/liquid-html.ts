import { must } from '@/core/must'
import { blocksMarked, blocksWritten, escaped, unescaped } from './blocks'

/** A piece of Liquid in a text: a placeholder `{{ … }}` or a tag `{% … %}`. */
const LIQUID = /\{\{[\s\S]*?\}\}|\{%[\s\S]*?%\}/g
const TAG = /<[^>]*>/g

/** Where the editor's own HTML holds what an image names, so that nothing is fetched for it. */
export const HELD_SOURCE = 'data-src'

/** A text with marks in the place of its Liquid, so that what looks like markup in it is not taken for any. */
export function protectLiquid(html: string): { html: string; kept: string[] } {
  const kept: string[] = []
  const safe = html.replaceAll(LIQUID, (source) => {
    kept.push(source)
    return `\ue000${kept.length - 1}\ue001`
  })
  return { html: safe, kept }
}

/** The text with its Liquid in the place of the marks, written as asked. */
export const restored = (text: string, kept: readonly string[], as: (source: string) => string) => text.replaceAll(/\ue000(\d+)\ue001/g, (_, i) => as(must(kept[Number(i)])))

/**
 * A body's HTML as the editor takes it: Liquid around one whole block becomes an attribute of it, other Liquid between tags an element
 * of its own, and Liquid inside tags stays as it is.
 */
export function toEditable(body: string): string {
  const { html: safe, kept } = protectLiquid(body)
  const html = blocksMarked(safe, kept)
  let out = ''
  let end = 0
  for (const tag of html.matchAll(TAG)) {
    out += restored(html.slice(end, tag.index), kept, (s) => `<span data-liquid="${escaped(s)}"></span>`)
    out += restored(tag[0], kept, (s) => escaped(s))
    end = (tag.index ?? 0) + tag[0].length
  }
  return out + restored(html.slice(end), kept, (s) => `<span data-liquid="${escaped(s)}"></span>`)
}

/** The editor's HTML as a body: Liquid as it was written. */
export function fromEditable(html: string): string {
  const plain = html.replaceAll(/ (col|row)span="1"/g, '').replaceAll(/<(td|th|li)([^>]*)><p>((?:(?!<\/?p\b).)*)<\/p><\/\1>/gs, '<$1$2>$3</$1>')
  const named = plain.replaceAll(/<img\b[^>]*>/g, (tag) => tag.replace(` ${HELD_SOURCE}=`, ' src='))
  const spans = named.replaceAll(/<span data-liquid="([^"]*)"[^>]*><\/span>/g, (_, source: string) => unescaped(source))
  return blocksWritten(spans).replaceAll(TAG, (tag) =>
    tag.replaceAll(/="([^"]*)"/g, (all, value: string) => (/\{\{|\{%/.test(value) ? `="${unescaped(value).replaceAll('"', "'")}"` : all)),
  )
}

/** A body without what makes no difference to a reader: white space between blocks, and a paragraph that is all of a cell or a list entry. */
export function settled(body: string): string {
  return body
    .replaceAll(/<\/?tbody>/g, '')
    .replaceAll(/>\s+</g, '><')
    .replaceAll(/%\}\s+(?=<(tr|li|p|h[1-6]|ul|ol|table)\b)/g, '%}')
    .replaceAll(/(<\/(?:tr|li|p|h[1-6]|ul|ol|table)>)\s+(?=\{%)/g, '$1')
    .replaceAll(/(<(?:ul|ol|table|tbody)\b[^>]*>)\s+(?=\{%)/g, '$1')
    .replaceAll(/%\}\s+(?=<\/(ul|ol|table|tbody)>)/g, '%}')
    .replaceAll(/<(td|th|li)([^>]*)><p>((?:(?!<\/?p\b).)*)<\/p><\/\1>/gs, '<$1$2>$3</$1>')
    .replaceAll(/<(br|img|hr)([^>]*?)\s*\/?>/g, '<$1$2>')
    .trim()
}

/** A placeholder taken apart: its path, and what is written where it is blank. */
export interface Placeholder {
  readonly path: string
  readonly otherwise: string | null
}

/** Reads `{{ path | default: "…" }}`; null where it is anything more, which is then edited as source. */
export function readPlaceholder(source: string): Placeholder | null {
  const m = /^\{\{\s*([a-z_][\w.]*)\s*(?:\|\s*default:\s*("([^"]*)"|'([^']*)')\s*)?\}\}$/i.exec(source)
  return m ? { path: must(m[1]), otherwise: m[3] ?? m[4] ?? null } : null
}

/** Writes a placeholder out. */
export function writePlaceholder({ path, otherwise }: Placeholder): string {
  if (!otherwise) return `{{ ${path} }}`
  return otherwise.includes('"') ? `{{ ${path} | default: '${otherwise.replaceAll("'", '’')}' }}` : `{{ ${path} | default: "${otherwise}" }}`
}

/** A piece of Liquid in a few words, as it stands in the text. */
export function liquidWords(source: string): string {
  const placeholder = readPlaceholder(source)
  if (placeholder) return placeholder.path.replaceAll('.', ' › ').replaceAll('_', ' ') + (placeholder.otherwise ? `, or “${placeholder.otherwise}”` : '')
  return source.replace(/^\{[{%]-?\s*/, '').replace(/\s*-?[}%]\}$/, '')
}
