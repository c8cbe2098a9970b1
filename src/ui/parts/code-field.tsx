'use client'

import { autocompletion, type CompletionSource, closeBrackets, completionKeymap } from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands'
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language'
import { type Diagnostic, linter } from '@codemirror/lint'
import { Annotation, EditorState, type Extension } from '@codemirror/state'
import { EditorView, keymap } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { useEffect, useImperativeHandle, useLayoutEffect, useRef } from 'react'
import { must } from '@/core/must'
import { useEcho } from './echo'

/** What is done to the code from outside. */
export interface CodeHandle {
  /** Puts a text in the place of what is chosen. */
  insert(text: string): void
}

interface Props {
  readonly label: string
  readonly value: string
  readonly onChange: (value: string) => void
  readonly language: Extension
  readonly complete: CompletionSource
  /** What is wrong, by place in the text. */
  readonly lint?: (view: EditorView) => readonly Diagnostic[]
  /** Lines that are shown even where there is less. */
  readonly rows: number
  readonly handle?: React.Ref<CodeHandle>
}

/** Marks a change of the text that was not made in it. */
const FROM_OUTSIDE = Annotation.define<boolean>()

const COLOURS = HighlightStyle.define([
  { tag: [tags.keyword, tags.controlKeyword, tags.operatorKeyword, tags.tagName], color: 'var(--color-spruce)' },
  { tag: [tags.string, tags.number, tags.bool, tags.null], color: 'var(--color-slate)' },
  { tag: [tags.comment, tags.angleBracket, tags.brace, tags.processingInstruction], color: 'var(--color-muted)' },
  { tag: [tags.variableName, tags.propertyName], color: 'var(--color-ink)' },
])

const LOOK = EditorView.theme({
  '&': { border: '1px solid var(--color-rule)', backgroundColor: 'var(--color-sheet)', fontSize: '0.8125rem' },
  '&.cm-focused': { outline: 'none', borderColor: 'var(--color-rope-mark)' },
  '.cm-content': { fontFamily: 'var(--font-mono)', padding: '6px 0', caretColor: 'var(--color-ink)' },
  '.cm-line': { padding: '0 10px' },
  '.cm-cursor': { borderLeftColor: 'var(--color-ink)' },
  '.cm-tooltip': { border: '1px solid var(--color-rule)', backgroundColor: 'var(--color-sheet)', color: 'var(--color-ink)' },
  '.cm-tooltip-autocomplete > ul': { fontFamily: 'var(--font-mono)', maxHeight: '14em' },
  '.cm-tooltip-autocomplete > ul > li[aria-selected]': { backgroundColor: 'var(--color-spruce-wash)', color: 'var(--color-ink)' },
  '.cm-completionDetail': { color: 'var(--color-muted)', fontStyle: 'normal' },
  '.cm-diagnostic-error': { borderLeft: '4px solid var(--color-alarm)' },
})

/** A few lines of a formula or of Liquid: coloured, completed as one types, with what is wrong marked where it is. */
export function CodeField({ label, value, onChange, language, complete, lint, rows, handle }: Props) {
  const box = useRef<HTMLDivElement>(null)
  const view = useRef<EditorView | null>(null)
  const echo = useEcho()
  const now = useRef({ onChange, complete, lint })
  useLayoutEffect(() => {
    now.current = { onChange, complete, lint }
  })
  // biome-ignore lint/correctness/useExhaustiveDependencies: the view is made once; what changes is given to it below
  useEffect(() => {
    const made = new EditorView({
      parent: must(box.current),
      state: EditorState.create({
        doc: value,
        extensions: [
          history(),
          closeBrackets(),
          keymap.of([...completionKeymap, ...historyKeymap, ...defaultKeymap.filter((k) => k.key !== 'Escape' && k.key !== 'Mod-Enter')]),
          autocompletion({ override: [(context) => now.current.complete(context)], icons: false }),
          linter((v) => [...(now.current.lint?.(v) ?? [])], { delay: 150 }),
          language,
          syntaxHighlighting(COLOURS),
          LOOK,
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ 'aria-label': label, spellcheck: 'false' }),
          EditorView.theme({ '.cm-content': { minHeight: `${rows * 1.4 + 0.8}em` } }),
          EditorView.updateListener.of((update) => {
            if (!update.docChanged || update.transactions.some((t) => t.annotation(FROM_OUTSIDE))) return
            const text = update.state.doc.toString()
            echo.emitted(text)
            now.current.onChange(text)
          }),
        ],
      }),
    })
    view.current = made
    return () => made.destroy()
  }, [])
  // biome-ignore lint/correctness/useExhaustiveDependencies: only a value that comes from outside counts
  useEffect(() => {
    const held = view.current?.state.doc.toString()
    if (held === undefined || echo.isEcho(value) || held === value) return
    view.current?.dispatch({ changes: { from: 0, to: held.length, insert: value }, annotations: FROM_OUTSIDE.of(true) })
  }, [value])
  useImperativeHandle(handle, () => ({
    insert: (text) => {
      const made = view.current
      if (!made) return
      made.dispatch(made.state.replaceSelection(text))
      made.focus()
    },
  }))
  return <div ref={box} />
}
