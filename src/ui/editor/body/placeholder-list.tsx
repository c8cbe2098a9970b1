'use client'

import { useId, useMemo, useState } from 'react'
import { beginsInOrder } from '@/core/values/begins'
import { usePlace } from '../place'
import { offersAt, type PlaceholderOffer } from './placeholder-picker'

/** Most placeholders that are offered while one types. */
const MOST_OFFERED = 8

const NONE: readonly PlaceholderOffer[] = []

/** What stands behind the last “{{” before the caret; null where there is none that is open. */
export function begunPlaceholder(text: string, caret: number): { readonly from: number; readonly typed: string } | null {
  const found = /\{\{\s*([^{}|\n]{0,60})$/.exec(text.slice(0, caret))
  return found ? { from: found.index, typed: (found[1] ?? '').replaceAll(/[._]/g, ' ') } : null
}

interface Props {
  /** What is typed behind “{{”; null where none is open. */
  readonly typed: string | null
  /** The repetition that the caret is in, whose entry has placeholders too. */
  readonly each?: string | null
  readonly onTake: (offer: PlaceholderOffer) => void
  readonly onClose: () => void
  /** What can be put in besides placeholders, such as rows of a list. */
  readonly more?: readonly PlaceholderOffer[]
}

/** The placeholders that “{{” offers, one of them chosen: the list to show, what the field says of it to a screen reader, and the keys that it takes. */
export function usePlaceholders({ typed, each = null, onTake, onClose, more = NONE }: Props) {
  const place = usePlace()
  const list = useId().replaceAll(':', '')
  const [at, setAt] = useState(0)
  const offers = useMemo(
    () =>
      typed === null
        ? []
        : [...(typed.trim() === '' ? [] : more), ...offersAt(place, [], each), ...(typed.trim() === '' ? more : [])]
            .filter((o) => beginsInOrder(o.words, typed) || beginsInOrder(o.source, typed))
            .slice(0, MOST_OFFERED),
    [typed, place, each, more],
  )
  const chosen = Math.max(0, Math.min(at, offers.length - 1))
  /** Whether a key was for the list. */
  const onKey = (key: string): boolean => {
    const offer = offers[chosen]
    if (!offer) return false
    if (key === 'ArrowDown' || key === 'ArrowUp') setAt((chosen + (key === 'ArrowDown' ? 1 : offers.length - 1)) % offers.length)
    else if (key === 'Enter' || key === 'Tab') onTake(offer)
    else if (key === 'Escape') onClose()
    else return false
    return true
  }
  return {
    onKey,
    restart: () => setAt(0),
    told: {
      'aria-autocomplete': 'list' as const,
      'aria-controls': offers.length ? list : undefined,
      'aria-activedescendant': offers.length ? `${list}-${chosen}` : undefined,
    },
    shown: offers.length > 0 && <Offers list={list} offers={offers} chosen={chosen} onTake={onTake} />,
  }
}

function Offers({ list, offers, chosen, onTake }: { list: string; offers: readonly PlaceholderOffer[]; chosen: number; onTake: (offer: PlaceholderOffer) => void }) {
  const { placeholders } = usePlace()
  return (
    <div id={list} role="listbox" aria-label="Placeholders" className="absolute z-40 mt-1 w-full max-w-[460px] rounded-md border border-rule bg-sheet p-1 shadow-lg">
      {offers.map((offer, i) => {
        const known = offer.path === null ? undefined : placeholders.get(offer.path)
        return (
          <div
            key={offer.source}
            id={`${list}-${i}`}
            role="option"
            tabIndex={-1}
            aria-selected={i === chosen}
            onMouseDown={(event) => {
              event.preventDefault() // the field keeps the focus
              onTake(offer)
            }}
            className={`grid cursor-pointer grid-cols-[minmax(0,1fr)_minmax(0,11rem)] gap-3 rounded-sm px-2 py-1 ${i === chosen ? 'bg-spruce-wash' : ''}`}
          >
            <span className="truncate">{offer.words}</span>
            <span className="truncate text-right text-muted text-sm">{known && (known.value || 'blank here')}</span>
          </div>
        )
      })}
    </div>
  )
}
