import type { Editor } from '@tiptap/react'

/** An attribute of what the caret is in, as a text; null where there is none. */
export function attributeOf(editor: Editor, node: string, name: string): string | null {
  const value: unknown = editor.getAttributes(node)[name]
  return typeof value === 'string' ? value : null
}
