import { type Editor, useEditorState } from '@tiptap/react'

interface Mark {
  readonly name: string
  readonly label: string
  readonly on: (e: Editor) => boolean
  readonly act: (e: Editor) => unknown
}

/** How a button looks in mail, where only styles on the element itself are sure to count. */
export const BUTTON_STYLE = 'display:inline-block;padding:10px 18px;border-radius:4px;background:#0e5a53;color:#ffffff;text-decoration:none'

/** Makes the chosen words a link, or puts in words of its own where none are chosen; on a link, takes it away. */
function link(editor: Editor, words: string, style: string | null): unknown {
  if (editor.isActive('link')) return editor.chain().focus().extendMarkRange('link').unsetLink().run()
  const attrs = { href: '{{ link }}', style }
  if (!editor.state.selection.empty) return editor.chain().focus().setMark('link', attrs).run()
  return editor
    .chain()
    .focus()
    .insertContent({ type: 'text', text: words, marks: [{ type: 'link', attrs }] })
    .run()
}

const MARKS: readonly Mark[] = [
  { name: 'Bold', label: 'B', on: (e) => e.isActive('bold'), act: (e) => e.chain().focus().toggleBold().run() },
  { name: 'Italic', label: 'I', on: (e) => e.isActive('italic'), act: (e) => e.chain().focus().toggleItalic().run() },
  { name: 'Heading', label: 'Heading', on: (e) => e.isActive('heading'), act: (e) => e.chain().focus().toggleHeading({ level: 2 }).run() },
  { name: 'List', label: 'List', on: (e) => e.isActive('bulletList'), act: (e) => e.chain().focus().toggleBulletList().run() },
  { name: 'Numbered list', label: 'Numbered', on: (e) => e.isActive('orderedList'), act: (e) => e.chain().focus().toggleOrderedList().run() },
  { name: 'Table', label: 'Table', on: (e) => e.isActive('table'), act: (e) => e.chain().focus().insertTable({ rows: 2, cols: 2, withHeaderRow: true }).run() },
  {
    name: 'Link',
    label: 'Link',
    on: (e) => e.isActive('link') && !e.getAttributes('link').style,
    act: (e) => link(e, 'Open the record', null),
  },
  {
    name: 'Button',
    label: 'Button',
    on: (e) => e.isActive('link') && Boolean(e.getAttributes('link').style),
    act: (e) => link(e, 'Open the record', BUTTON_STYLE),
  },
]

const IN_TABLE: readonly { readonly label: string; readonly act: (e: Editor) => unknown }[] = [
  { label: 'Add a row', act: (e) => e.chain().focus().addRowAfter().run() },
  { label: 'Add a column', act: (e) => e.chain().focus().addColumnAfter().run() },
  { label: 'Remove the row', act: (e) => e.chain().focus().deleteRow().run() },
  { label: 'Remove the column', act: (e) => e.chain().focus().deleteColumn().run() },
  { label: 'Remove the table', act: (e) => e.chain().focus().deleteTable().run() },
]

const BUTTON = 'min-h-6 min-w-6 text-muted hover:text-ink aria-pressed:font-semibold aria-pressed:text-rope'

/** What the chosen words can be made into; in a table, what can be done with it. */
export function Toolbar({ editor }: { editor: Editor }) {
  const { active, inTable } = useEditorState({ editor, selector: ({ editor: e }) => ({ active: MARKS.map((m) => m.on(e)), inTable: e.isActive('table') }) })
  return (
    <div role="toolbar" aria-label="Formatting" className="flex flex-wrap gap-x-4 border-rule border-b px-3 py-1 text-sm">
      {MARKS.map((mark, i) => (
        <button key={mark.name} type="button" aria-label={mark.name} aria-pressed={active[i]} className={BUTTON} onClick={() => mark.act(editor)}>
          {mark.label}
        </button>
      ))}
      {inTable &&
        IN_TABLE.map((deed) => (
          <button key={deed.label} type="button" className={BUTTON} onClick={() => deed.act(editor)}>
            {deed.label}
          </button>
        ))}
    </div>
  )
}
