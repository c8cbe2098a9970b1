'use client'

import { type Ref, useImperativeHandle, useRef, useState } from 'react'
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
    className,
    value,
    onChange: (event: React.ChangeEvent<Field>) => {
      onChange(event.target.value)
      setCaret(event.target.selectionStart)
      offered.restart()
    },
    onBlur: () => setCaret(null),
    onKeyDown: (event: React.KeyboardEvent) => {
      if (!offered.onKey(event.key)) return
      event.preventDefault()
      event.stopPropagation()
    },
  }
  return (
    <div className="relative">
      {rows === undefined ? <input ref={hold} {...common} /> : <textarea ref={hold} rows={rows} {...common} />}
      {offered.shown}
    </div>
  )
}
