'use client'

import { type KeyboardEvent, useRef, useState } from 'react'
import type { Change } from '@/core/changes/change'
import { must } from '@/core/must'
import { areLettersKeys } from '../shell/letters'
import { Difference } from './difference'
import type { Mark, Marks } from './marks'
import type { Past } from './past'

interface Props {
  readonly past: Past
  readonly changes: readonly Change[]
  readonly marks: Marks
  readonly onMark: (id: number, as: Mark | null) => void
}

const EDGES = { yes: 'border-l-spruce bg-spruce-wash', no: 'border-l-rope-mark bg-rope-wash' } as const

/** Changes with their differences, one below the other: y and n mark the one that has the focus, the arrows go on. */
export function ChangeList({ past, changes, marks, onMark }: Props) {
  const list = useRef<HTMLOListElement>(null)
  const [at, setAt] = useState(0)
  const focus = (place: number) => {
    const next = Math.max(0, Math.min(changes.length - 1, place))
    setAt(next)
    list.current?.querySelectorAll<HTMLElement>('[data-change]')[next]?.focus()
  }
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.altKey || event.ctrlKey || event.metaKey || !(event.target instanceof HTMLElement) || event.target.dataset.change === undefined) return
    const { id } = must(changes[at])
    const deeds = new Map<string, () => void>([
      ['ArrowDown', () => focus(at + 1)],
      ['ArrowUp', () => focus(at - 1)],
      ['Home', () => focus(0)],
      ['End', () => focus(changes.length - 1)],
      ['Delete', () => onMark(id, null)],
    ])
    const letters = new Map<string, () => void>([
      ['j', () => focus(at + 1)],
      ['k', () => focus(at - 1)],
      ['y', () => onMark(id, 'yes')],
      ['n', () => onMark(id, 'no')],
    ])
    const deed = deeds.get(event.key) ?? (areLettersKeys() ? letters.get(event.key) : undefined)
    if (!deed) return
    event.preventDefault()
    event.stopPropagation()
    deed()
  }
  return (
    <ol ref={list} aria-label="Past changes" className="mt-3 border-rule border-b" onKeyDown={onKeyDown}>
      {changes.map((change, i) => {
        const mark = marks.get(change.id)
        return (
          <li
            key={change.id}
            data-change={change.id}
            tabIndex={i === at ? 0 : -1}
            onFocus={() => setAt(i)}
            className={`grid grid-cols-[7.5rem_minmax(0,1fr)] items-baseline gap-3 border-rule border-t border-l-4 px-3 py-2 ${mark ? EDGES[mark] : 'border-l-transparent'}`}
          >
            <MarkButtons mark={mark} onMark={(as) => onMark(change.id, as)} of={`change ${change.id}`} />
            <Difference change={change} past={past} />
          </li>
        )
      })}
    </ol>
  )
}

/** Yes and no, of which the one that holds is pressed. */
export function MarkButtons({ mark, onMark, of }: { mark: Mark | undefined; onMark: (as: Mark) => void; of: string }) {
  const button = 'rounded-sm border px-2 py-0.5 text-sm aria-pressed:font-semibold'
  return (
    <span className="flex gap-1.5">
      <button
        type="button"
        aria-pressed={mark === 'yes'}
        aria-label={`Yes, ${of} should have told somebody`}
        className={`${button} border-spruce/40 text-spruce aria-pressed:bg-spruce aria-pressed:text-on-spruce`}
        onClick={() => onMark('yes')}
      >
        yes
      </button>
      <button
        type="button"
        aria-pressed={mark === 'no'}
        aria-label={`No, ${of} should not have told anybody`}
        className={`${button} border-rope-mark/50 text-rope aria-pressed:bg-rope-mark aria-pressed:text-sheet`}
        onClick={() => onMark('no')}
      >
        no
      </button>
    </span>
  )
}
