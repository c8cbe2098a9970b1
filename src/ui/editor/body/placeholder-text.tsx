'use client'

import { type Ref, useImperativeHandle, useRef, useState } from 'react'
import { usePlace } from '../place'
import { liquidWords, readPlaceholder } from './liquid-html'
import { begunPlaceholder, usePlaceholders } from './placeholder-list'
import type { PlaceholderOffer } from './placeholder-picker'

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

/** A text in which “{{” offers placeholders as one types, each with its value for the sample record. */
export function PlaceholderText({ label, value, onChange, className, rows, field }: Props) {
  const own = useRef<Field | null>(null)
  useImperativeHandle<Field | null, Field | null>(field, () => own.current)
  const hold = (made: Field | null) => {
    own.current = made
  }
  const [caret, setCaret] = useState<number | null>(null)
  const [isTyped, setTyped] = useState(false)
  /** While it is not typed into, its placeholders stand in words. */
  const inWords = !isTyped && /\{[{%]/.test(value)
  const open = caret === null ? null : begunPlaceholder(value, caret)
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
  const offered = usePlaceholders({ typed: open?.typed ?? null, onTake: take, onClose: () => setCaret(null) })
  const common = {
    'aria-label': label,
    ...offered.told,
    className: inWords ? `${className} text-transparent` : className,
    onFocus: () => setTyped(true),
    value,
    onChange: (event: React.ChangeEvent<Field>) => {
      onChange(event.target.value)
      setCaret(event.target.selectionStart)
      offered.restart()
    },
    onBlur: () => {
      setCaret(null)
      setTyped(false)
    },
    onKeyDown: (event: React.KeyboardEvent) => {
      if (!offered.onKey(event.key)) return
      event.preventDefault()
      event.stopPropagation()
    },
  }
  return (
    <div className="relative">
      {rows === undefined ? <input ref={hold} {...common} /> : <textarea ref={hold} rows={rows} {...common} />}
      {inWords && <InWords value={value} className={className} rows={rows} />}
      {offered.shown}
    </div>
  )
}

const LIQUID = /(\{\{[\s\S]*?\}\}|\{%[\s\S]*?%\})/

/** A text over its field as it is read: each placeholder as the value that the sample record gives it, else as its path in words. */
function InWords({ value, className, rows }: { value: string; className: string; rows: number | undefined }) {
  const { placeholders } = usePlace()
  const shown = (source: string) => {
    const path = readPlaceholder(source)?.path
    const known = path && (placeholders.get(path) ?? placeholders.get(path.split('.').slice(1).join('.')))
    return known ? known.value || 'blank' : liquidWords(source)
  }
  return (
    <div
      aria-hidden
      className={`in-words pointer-events-none absolute inset-0 overflow-hidden border-transparent bg-transparent ${className} ${rows === undefined ? 'truncate' : 'whitespace-pre-wrap'}`}
    >
      {value.split(LIQUID).map((part, i) =>
        i % 2 === 0 ? (
          part
        ) : (
          <span key={i} data-liquid-chip={readPlaceholder(part) ? 'placeholder' : 'tag'} title={part}>
            {shown(part)}
          </span>
        ),
      )}
    </div>
  )
}
