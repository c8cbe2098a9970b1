import { Extension, mergeAttributes, Node } from '@tiptap/core'
import Image from '@tiptap/extension-image'
import { Table, TableCell, TableHeader, TableRow } from '@tiptap/extension-table'
import StarterKit from '@tiptap/starter-kit'
import { heldWhen, saidWhen } from './blocks'
import { HELD_SOURCE, liquidWords, readPlaceholder } from './liquid-html'
import { TypedLiquid } from './typed-liquid'

/** A piece of Liquid in the text, moved and removed as one. */
const Liquid = Node.create({
  name: 'liquid',
  group: 'inline',
  inline: true,
  atom: true,
  selectable: true,
  addAttributes: () => ({ source: { default: '', parseHTML: (el: HTMLElement) => el.dataset.liquid ?? '' } }),
  parseHTML: () => [{ tag: 'span[data-liquid]' }],
  renderHTML: ({ node, HTMLAttributes }) => {
    const { source: _, ...rest } = HTMLAttributes
    return ['span', mergeAttributes(rest, { 'data-liquid': node.attrs.source })]
  },
  renderText: ({ node }) => node.attrs.source,
  addNodeView:
    () =>
    ({ node }) => {
      const dom = document.createElement('span')
      dom.textContent = liquidWords(node.attrs.source)
      dom.title = node.attrs.source
      dom.dataset.liquidChip = readPlaceholder(node.attrs.source) ? 'placeholder' : 'tag'
      return { dom }
    },
})

/** Blocks that can be repeated or shown on a condition. */
export const BLOCKS = ['tableRow', 'listItem', 'heading', 'paragraph'] as const

/** How cells look in mail, where only styles on the element itself are sure to count. */
export const CELL_STYLE = 'padding:4px 12px 4px 0;border-bottom:1px solid #dad7cc;text-align:left'
export const TABLE_STYLE = 'border-collapse:collapse;margin:0 0 1em'

const kept = (name: string, html: string, fresh: string | null = null) => ({
  default: fresh,
  keepOnSplit: false,
  parseHTML: (el: HTMLElement) => {
    const held = el.getAttribute(html)
    return held === null ? null : saidWhen(held)
  },
  renderHTML: (attributes: Record<string, unknown>) => (attributes[name] ? { [html]: heldWhen(String(attributes[name])) } : {}),
})

/** Repetitions, conditions and styles, which blocks and links carry as attributes. */
const Carried = Extension.create({
  name: 'carried',
  addGlobalAttributes: () => [
    { types: ['paragraph', 'heading', 'link'], attributes: { style: { ...kept('style', 'style'), keepOnSplit: true } } },
    { types: ['table'], attributes: { style: kept('style', 'style', TABLE_STYLE) } },
    { types: ['tableCell', 'tableHeader'], attributes: { style: kept('style', 'style', CELL_STYLE) } },
    { types: [...BLOCKS], attributes: { each: kept('each', 'data-each'), when: kept('when', 'data-when') } },
  ],
})

/** A table as it is written in mail: no column widths of the editor's own. */
const PlainTable = Table.extend({ renderHTML: ({ HTMLAttributes }) => ['table', HTMLAttributes, ['tbody', 0]] })

/** What a body is made of; images of the library are shown from there while one writes, and go by their names in the text. */
export function bodyExtensions(files: readonly { readonly name: string; readonly id: number }[]) {
  return [
    StarterKit.configure({ link: { openOnClick: false, isAllowedUri: () => true, HTMLAttributes: { target: null, rel: null, class: null } } }),
    PlainTable,
    TableRow,
    TableCell,
    TableHeader,
    Liquid,
    TypedLiquid,
    Carried,
    Image.configure({ inline: true }).extend({
      // what an image names is no address that this page may fetch, which making the element would try
      renderHTML: ({ HTMLAttributes }) => ['img', Object.fromEntries(Object.entries(HTMLAttributes).map(([name, value]) => [name === 'src' ? HELD_SOURCE : name, value]))],
      addNodeView:
        () =>
        ({ node }) => {
          const dom = document.createElement('img')
          const name = /^cid:(.*)$/.exec(node.attrs.src ?? '')?.[1]
          const file = files.find((f) => f.name === name)
          if (file) dom.src = `/api/v1/files/${file.id}`
          else if (/^(data:|\/)/.test(node.attrs.src ?? '')) dom.src = node.attrs.src // others are not fetched while one writes
          dom.alt = node.attrs.alt ?? ''
          if (node.attrs.width) dom.width = Number(node.attrs.width)
          return { dom }
        },
    }),
  ]
}
