'use client'

import { mergeAttributes, Node } from '@tiptap/core'
import Image from '@tiptap/extension-image'
import { TableKit } from '@tiptap/extension-table'
import { type Editor, EditorContent, useEditor, useEditorState } from '@tiptap/react'
import StarterKit from '@tiptap/starter-kit'
import { useEffect, useImperativeHandle, useRef } from 'react'
import { fromEditable, liquidWords, readPlaceholder, settled, toEditable, writePlaceholder } from './liquid-html'

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

const EXTENSIONS = [
  StarterKit.configure({ link: { openOnClick: false, isAllowedUri: () => true, HTMLAttributes: { target: null, rel: null, class: null } } }),
  TableKit.configure({ table: { HTMLAttributes: {} } }),
  Liquid,
]

/** Images of the library, shown from there while one writes; in the text they go by their names. */
function libraryImage(files: Props['files']) {
  return Image.configure({ inline: true }).extend({
    addNodeView:
      () =>
      ({ node }) => {
        const dom = document.createElement('img')
        const name = /^cid:(.*)$/.exec(node.attrs.src ?? '')?.[1]
        const file = files.find((f) => f.name === name)
        dom.src = file ? `/api/v1/files/${file.id}` : (node.attrs.src ?? '')
        dom.alt = node.attrs.alt ?? ''
        if (node.attrs.width) dom.width = Number(node.attrs.width)
        return { dom }
      },
  })
}

/** What can be put into the text from outside it. */
export interface BodyHandle {
  insert(liquid: string): void
  insertAround(before: string, after: string): void
  insertImage(name: string): void
}

/** Whether the editor can hold a body without losing anything of it. */
export function canModel(body: string, rendered: string): boolean {
  return settled(fromEditable(rendered)) === settled(body)
}

interface Props {
  readonly value: string
  readonly label: string
  readonly files: readonly { readonly name: string; readonly id: number }[]
  readonly onChange: (body: string) => void
  /** Told when the body holds something that the editor would lose. */
  readonly onUnmodelled: () => void
  readonly handle: React.Ref<BodyHandle>
}

/** A message's body as it will look, placeholders set in it as underlined words. */
export function RichBody({ value, label, files, onChange, onUnmodelled, handle }: Props) {
  const emitted = useRef(value)
  const editor = useEditor({
    extensions: [...EXTENSIONS, libraryImage(files)],
    content: toEditable(value),
    immediatelyRender: false,
    editorProps: { attributes: { 'aria-label': label, role: 'textbox', 'aria-multiline': 'true', class: 'mail-body' } },
    onCreate: ({ editor: made }) => {
      if (!canModel(value, made.getHTML()) && value.trim() !== '') onUnmodelled()
    },
    onUpdate: ({ editor: changed }) => {
      const body = changed.isEmpty ? '' : fromEditable(changed.getHTML())
      emitted.current = body
      onChange(body)
    },
  })
  useEffect(() => {
    if (!editor || value === emitted.current) return
    emitted.current = value
    editor.commands.setContent(toEditable(value), { emitUpdate: false })
  }, [editor, value])
  useImperativeHandle(
    handle,
    () => ({
      insert: (source) => editor?.chain().focus().insertContent({ type: 'liquid', attrs: { source } }).run(),
      insertAround: (before, after) => editor && wrapSelection(editor, before, after),
      insertImage: (name) =>
        editor
          ?.chain()
          .focus()
          .setImage({ src: `cid:${name}`, alt: name })
          .run(),
    }),
    [editor],
  )
  if (!editor) return null
  return (
    <div className="border border-rule bg-sheet focus-within:border-rope-mark">
      <Toolbar editor={editor} />
      <EditorContent editor={editor} />
      <ChosenPlaceholder editor={editor} />
    </div>
  )
}

function wrapSelection(editor: Editor, before: string, after: string): void {
  const { from, to } = editor.state.selection
  editor
    .chain()
    .focus()
    .insertContentAt(to, { type: 'liquid', attrs: { source: after } })
    .insertContentAt(from, { type: 'liquid', attrs: { source: before } })
    .run()
}

const MARKS: readonly { name: string; label: string; on: (e: Editor) => boolean; act: (e: Editor) => unknown }[] = [
  { name: 'Bold', label: 'B', on: (e) => e.isActive('bold'), act: (e) => e.chain().focus().toggleBold().run() },
  { name: 'Italic', label: 'I', on: (e) => e.isActive('italic'), act: (e) => e.chain().focus().toggleItalic().run() },
  { name: 'Heading', label: 'Heading', on: (e) => e.isActive('heading'), act: (e) => e.chain().focus().toggleHeading({ level: 2 }).run() },
  { name: 'List', label: 'List', on: (e) => e.isActive('bulletList'), act: (e) => e.chain().focus().toggleBulletList().run() },
  { name: 'Numbered list', label: 'Numbered', on: (e) => e.isActive('orderedList'), act: (e) => e.chain().focus().toggleOrderedList().run() },
  { name: 'Table', label: 'Table', on: (e) => e.isActive('table'), act: (e) => e.chain().focus().insertTable({ rows: 2, cols: 2, withHeaderRow: true }).run() },
]

function Toolbar({ editor }: { editor: Editor }) {
  const active = useEditorState({ editor, selector: ({ editor: e }) => MARKS.map((m) => m.on(e)) })
  const link = () => {
    if (editor.isActive('link')) return editor.chain().focus().unsetLink().run()
    return editor.chain().focus().extendMarkRange('link').setLink({ href: '{{ link }}' }).run()
  }
  return (
    <div role="toolbar" aria-label="Formatting" className="flex gap-4 border-rule border-b px-3 py-1 text-sm">
      {MARKS.map((mark, i) => (
        <button
          key={mark.name}
          type="button"
          aria-label={mark.name}
          aria-pressed={active[i]}
          className="min-h-6 min-w-6 text-muted hover:text-ink aria-pressed:font-semibold aria-pressed:text-rope"
          onClick={() => mark.act(editor)}
        >
          {mark.label}
        </button>
      ))}
      <button type="button" className="min-h-6 text-muted hover:text-ink" onClick={link} title="Makes the chosen words a link to the record">
        Link to the record
      </button>
    </div>
  )
}

/** The placeholder that is chosen in the text: its path, and what to write where it is blank. */
function ChosenPlaceholder({ editor }: { editor: Editor }) {
  const source = useEditorState({ editor, selector: ({ editor: e }) => (e.isActive('liquid') ? (e.getAttributes('liquid').source as string) : null) })
  if (source === null) return null
  const placeholder = readPlaceholder(source)
  const set = (next: string) => editor.chain().updateAttributes('liquid', { source: next }).run()
  return (
    <div className="grid grid-cols-2 gap-6 border-rule border-t bg-rope-wash px-3 py-2 text-sm">
      {placeholder ? (
        <>
          <span className="truncate font-mono text-xs leading-6">{placeholder.path}</span>
          <input
            aria-label="If blank, write"
            placeholder="if blank, write …"
            className="blank-line"
            value={placeholder.otherwise ?? ''}
            onChange={(e) => set(writePlaceholder({ path: placeholder.path, otherwise: e.target.value || null }))}
          />
        </>
      ) : (
        <input aria-label="Liquid source" className="blank-line col-span-2 font-mono text-xs" value={source} onChange={(e) => set(e.target.value)} />
      )}
    </div>
  )
}
