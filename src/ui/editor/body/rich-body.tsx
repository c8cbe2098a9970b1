'use client'

import { type Editor, EditorContent, useEditor, useEditorState } from '@tiptap/react'
import { useEffect, useImperativeHandle, useLayoutEffect, useRef, useState } from 'react'
import { useEcho } from '../../parts/echo'
import { attributeOf } from './attributes'
import { Chosen } from './chosen'
import { fromEditable, settled, toEditable } from './liquid-html'
import { bodyExtensions } from './nodes'
import { begunPlaceholder, usePlaceholders } from './placeholder-list'
import type { PlaceholderOffer } from './placeholder-picker'
import { Toolbar } from './toolbar'

/** What can be put into the text from outside it. */
export interface BodyHandle {
  insert(liquid: string): void
  insertTable(html: string): void
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
  /** The tables of rows that “{{” offers too, by their words, and what puts one in. */
  readonly rows: readonly PlaceholderOffer[]
  readonly onRows: (source: string) => void
  /** Told of the repetition that the caret is in, as `booking in bookings`. */
  readonly onRepetition: (each: string | null) => void
}

/** A message's body as it will look, placeholders set in it as underlined words. */
export function RichBody({ value, label, files, onChange, onUnmodelled, handle, rows, onRows, onRepetition }: Props) {
  const echo = useEcho()
  const held = useRef(value)
  /** Whether the list of placeholders takes a key. */
  const takesKey = useRef((_: string): boolean => false)
  const editor = useEditor({
    extensions: bodyExtensions(files),
    content: toEditable(value),
    immediatelyRender: false,
    editorProps: {
      handleKeyDown: (_, event) => takesKey.current(event.key),
      attributes: { 'aria-label': label, role: 'textbox', 'aria-multiline': 'true', class: 'mail-body' },
    },
    onCreate: ({ editor: made }) => {
      if (!canModel(value, made.getHTML()) && value.trim() !== '') onUnmodelled()
    },
    onSelectionUpdate: ({ editor: e }) => onRepetition(attributeOf(e, 'tableRow', 'each') ?? attributeOf(e, 'listItem', 'each')),
    onUpdate: ({ editor: changed }) => {
      const body = changed.isEmpty ? '' : fromEditable(changed.getHTML())
      held.current = body
      echo.emitted(body)
      onChange(body)
    },
  })
  // biome-ignore lint/correctness/useExhaustiveDependencies: only a value that comes from outside counts
  useEffect(() => {
    if (!editor || echo.isEcho(value) || value === held.current) return
    held.current = value
    editor.commands.setContent(toEditable(value), { emitUpdate: false })
  }, [editor, value])
  useImperativeHandle(
    handle,
    () => ({
      insert: (source) => {
        if (!editor) return
        const { from } = editor.state.selection
        editor
          .chain()
          .focus()
          .insertContent({ type: 'liquid', attrs: { source } })
          .setTextSelection(from + 1) // behind it, so that one types on
          .run()
      },
      insertTable: (html) => editor?.chain().focus().insertContent(html).run(),
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
      <Completion editor={editor} takesKey={takesKey} rows={rows} onRows={onRows} />
      <Chosen editor={editor} />
    </div>
  )
}

/** Stands for what is no text, as an image, in the text before the caret. */
const NO_TEXT = '\ufffc'

/** Behind “{{” in the text: the placeholders that could be meant, under the line that one types. */
function Completion({ editor, takesKey, rows, onRows }: Pick<Props, 'rows' | 'onRows'> & { editor: Editor; takesKey: React.RefObject<(key: string) => boolean> }) {
  const [left, setLeft] = useState<number | null>(null)
  const { caret, start, typed, each } = useEditorState({
    editor,
    selector: ({ editor: e }) => {
      const { $from, empty } = e.state.selection
      const before = empty && e.isFocused ? $from.parent.textBetween(0, $from.parentOffset, undefined, NO_TEXT) : ''
      const begun = begunPlaceholder(before, before.length)
      return {
        caret: $from.pos,
        start: begun ? $from.start() + begun.from : null,
        typed: begun?.typed ?? null,
        each: attributeOf(e, 'tableRow', 'each') ?? attributeOf(e, 'listItem', 'each'),
      }
    },
  })
  const offered = usePlaceholders({
    typed: left === start ? null : typed,
    each,
    onTake: ({ source }) => {
      if (start === null) return
      if (rows.some((r) => r.source === source)) {
        editor.chain().focus().deleteRange({ from: start, to: caret }).run()
        return onRows(source)
      }
      editor.chain().focus().insertContentAt({ from: start, to: caret }, { type: 'liquid', attrs: { source } }).run()
    },
    onClose: () => setLeft(start),
    more: rows,
  })
  useLayoutEffect(() => {
    takesKey.current = offered.onKey
  })
  return <div className="relative px-3">{offered.shown}</div>
}
