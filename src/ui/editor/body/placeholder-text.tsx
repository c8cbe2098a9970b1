'use client'

import { type Ref, useId, useImperativeHandle, useMemo, useRef, useState } from 'react'
import { beginsInOrder } from '../../parts/begins'
import { usePlace } from '../place'
import { offersAt, type PlaceholderOffer } from './placeholder-picker'

type Field = HTMLInputElement | HTMLTextAreaElement

interface Props {
  readonly label: string
  readonly value: string
  readonly onChange: (value: string) => void
  readonly className: string
  /** Of how many lines it is, where of more than one. */
  readonly rows?: number
  readonly field?: Ref<Field | null>
}

/** Most placeholders that are offered while one types. */
const MOST_OFFERED = 8

/** What stands behind the last “{{” before the caret; null where there is none that is open. */
function begun(text: string, caret: number): { readonly from: number; readonly typed: string } | null {
  const found = /\{\{\s*([^{}|\n]{0,60})$/.exec(text.slice(0, caret))
  return found ? { from: found.index, typed: (found[1] ?? '').replaceAll(/[._]/g, ' ') } : null
}

/** A text in which “{{” offers placeholders as one types, each with its value for the sample record. */
export function PlaceholderText({ label, value, onChange, className, rows, field }: Props) {
  const place = usePlace()
  const own = useRef<Field | null>(null)
  useImperativeHandle<Field | null, Field | null>(field, () => own.current)
  const hold = (made: Field | null) => {
    own.current = made
  }
  const list = useId()
  const [caret, setCaret] = useState<number | null>(null)
  const [at, setAt] = useState(0)
  const open = caret === null ? null : begun(value, caret)
  const typed = open?.typed ?? null
  const offers = useMemo(
    () =>
      typed === null
        ? []
        : offersAt(place, [])
            .filter((o) => beginsInOrder(o.words, typed) || beginsInOrder(o.source, typed))
            .slice(0, MOST_OFFERED),
    [typed, place],
  )
  const chosen = Math.min(at, offers.length - 1)
  const take = ({ source }: PlaceholderOffer) => {
    if (open === null || caret === null) return
    const rest = value.slice(caret).replace(/^\s*\}\}/, '')
    const end = open.from + source.length
    onChange(value.slice(0, open.from) + source + rest)
    setCaret(null)
    requestAnimationFrame(() => {
      own.current?.focus()
      own.current?.setSelectionRange(end, end)
    })
  }
  const onKeyDown = (event: React.KeyboardEvent) => {
    const offer = offers[chosen]
    if (!offer) return
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') setAt((chosen + (event.key === 'ArrowDown' ? 1 : offers.length - 1)) % offers.length)
    else if (event.key === 'Enter' || event.key === 'Tab') take(offer)
    else if (event.key === 'Escape') setCaret(null)
    else return
    event.preventDefault()
    event.stopPropagation()
  }
  const common = {
    'aria-label': label,
    'aria-autocomplete': 'list' as const,
    'aria-controls': offers.length ? list : undefined,
    'aria-activedescendant': offers.length ? `${list} ${chosen}`.replaceAll(' ', '-') : undefined,
    className,
    value,
    onChange: (event: React.ChangeEvent<Field>) => {
      onChange(event.target.value)
      setCaret(event.target.selectionStart)
      setAt(0)
    },
    onBlur: () => setCaret(null),
    onKeyDown,
  }
  return (
    <div className="relative">
      {rows === undefined ? <input ref={hold} {...common} /> : <textarea ref={hold} rows={rows} {...common} />}
      {offers.length > 0 && (
        <div id={list} role="listbox" aria-label="Placeholders" className="absolute z-40 mt-1 w-full max-w-[460px] rounded-md border border-rule bg-sheet p-1 shadow-lg">
          {offers.map((offer, i) => {
            const known = offer.path === null ? undefined : place.placeholders.get(offer.path)
            return (
              <div
                key={offer.source}
                id={`${list} ${i}`.replaceAll(' ', '-')}
                role="option"
                tabIndex={-1}
                aria-selected={i === chosen}
                onMouseDown={(event) => {
                  event.preventDefault() // the field keeps the focus
                  take(offer)
                }}
                className={`grid cursor-pointer grid-cols-[minmax(0,1fr)_minmax(0,11rem)] gap-3 rounded-sm px-2 py-1 ${i === chosen ? 'bg-spruce-wash' : ''}`}
              >
                <span className="truncate">{offer.words}</span>
                <span className="truncate text-right text-muted text-sm">{known && (known.value || 'blank here')}</span>
              </div>
            )
          })}
        </div>
      )}
    </div>
  )
}
