import { Extension } from '@tiptap/core'
import { Plugin } from '@tiptap/pm/state'

/** Liquid that was typed or pasted as text, whole: a placeholder that names something, or a tag. */
const TYPED = /\{\{\s*[a-z_][^{}]*\}\}|\{%-?\s*[a-z][^{}]*%\}/gi

/** Makes placeholders of what is typed or pasted as `{{ … }}`, once it is whole. */
export const TypedLiquid = Extension.create({
  name: 'typedLiquid',
  addProseMirrorPlugins() {
    const liquid = this.editor.schema.nodes.liquid
    return [
      new Plugin({
        appendTransaction: (transactions, _, state) => {
          if (!liquid || !transactions.some((t) => t.docChanged)) return null
          const found: { from: number; to: number; source: string }[] = []
          state.doc.descendants((node, at) => {
            if (!node.isText || !node.text) return
            for (const match of node.text.matchAll(TYPED)) found.push({ from: at + match.index, to: at + match.index + match[0].length, source: match[0] })
          })
          if (found.length === 0) return null
          const change = state.tr
          for (const { from, to, source } of found.reverse()) change.replaceWith(from, to, liquid.create({ source }))
          return change
        },
      }),
    ]
  },
})
