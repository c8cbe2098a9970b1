'use client'

import { useState } from 'react'
import { Button } from '../parts/button'

/** Signs that a choice can have before it, told apart by their form. */
const MARKS = ['', '●', '◐', '○', '▲', '▼', '■', '□', '◆', '✓', '✕', '!'] as const

/** A choice as it is edited, and what it was called before; null for one that is new. */
export interface EditedChoice {
  readonly is: string
  readonly was: string | null
}

export const editedChoices = (choices: readonly string[] = []): EditedChoice[] => choices.map((choice) => ({ is: choice, was: choice }))

/** What choices are called from now on, by what they were called, where that differs. */
export const renamedChoices = (choices: readonly EditedChoice[]): Record<string, string> =>
  Object.fromEntries(choices.flatMap(({ is, was }) => (was !== null && was !== is.trim() && is.trim() ? [[was, is.trim()]] : [])))

interface Props {
  readonly choices: readonly EditedChoice[]
  readonly marks: Readonly<Record<string, string>>
  readonly onChange: (choices: readonly EditedChoice[], marks: Record<string, string>) => void
}

/** The choices of a field, in order, each with its mark; one whose name is edited stays the same choice. */
export function Choices({ choices: edited, marks, onChange }: Props) {
  const [typed, setTyped] = useState('')
  const choices = edited.map((choice) => choice.is)
  const put = (i: number, text: string) => {
    const was = choices[i] ?? ''
    const { [was]: mark, ...rest } = marks
    onChange(
      edited.map((c, n) => (n === i ? { ...c, is: text } : c)),
      mark ? { ...rest, [text]: mark } : rest,
    )
  }
  const move = (i: number, by: number) => {
    const next = [...edited]
    const [moved] = next.splice(i, 1)
    if (moved !== undefined) next.splice(i + by, 0, moved)
    onChange(next, { ...marks })
  }
  const add = () => {
    const text = typed.trim()
    if (!text || choices.includes(text)) return
    onChange([...edited, { is: text, was: null }], { ...marks })
    setTyped('')
  }
  return (
    <ul aria-label="Choices">
      {choices.map((choice, i) => (
        <li key={i} className="grid grid-cols-[3.5rem_minmax(0,1fr)_auto] items-baseline gap-3">
          <select
            aria-label={`Mark of ${choice}`}
            className="blank-line"
            value={marks[choice] ?? ''}
            onChange={(e) => {
              const { [choice]: _, ...rest } = marks
              onChange(edited, e.target.value ? { ...rest, [choice]: e.target.value } : rest)
            }}
          >
            {MARKS.map((mark) => (
              <option key={mark} value={mark}>
                {mark || '–'}
              </option>
            ))}
          </select>
          <input aria-label={`Choice ${i + 1}`} className="blank-line" value={choice} onChange={(e) => put(i, e.target.value)} />
          <span className="flex gap-3">
            <Button aria-label={`${choice} up`} disabled={i === 0} onClick={() => move(i, -1)}>
              ↑
            </Button>
            <Button aria-label={`${choice} down`} disabled={i === choices.length - 1} onClick={() => move(i, 1)}>
              ↓
            </Button>
            <Button
              kind="alarm"
              aria-label={`Take ${choice} away`}
              onClick={() =>
                onChange(
                  edited.filter((_, n) => n !== i),
                  { ...marks },
                )
              }
            >
              ×
            </Button>
          </span>
        </li>
      ))}
      <li className="mt-1 grid grid-cols-[3.5rem_minmax(0,1fr)_auto] items-baseline gap-3">
        <span />
        <input
          aria-label="Add a choice"
          placeholder="Add a choice, Enter"
          className="blank-line"
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          onBlur={add}
          onKeyDown={(e) => {
            if (e.key !== 'Enter') return
            e.preventDefault()
            add()
          }}
        />
      </li>
    </ul>
  )
}
