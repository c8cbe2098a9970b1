'use client'

import { useEffect, useState } from 'react'

/** A number that is typed; what is no number yet changes nothing, and nothing is null. */
export function NumberField({ label, value, placeholder, onChange }: { label: string; value: number | null; placeholder?: string; onChange: (value: number | null) => void }) {
  const [typed, setTyped] = useState(value === null ? '' : String(value))
  useEffect(() => setTyped((old) => (old.trim() !== '' && Number(old) === value ? old : value === null ? '' : String(value))), [value])
  return (
    <input
      aria-label={label}
      inputMode="decimal"
      value={typed}
      placeholder={placeholder}
      onChange={(e) => {
        const text = e.target.value.replace(',', '.')
        setTyped(text)
        if (text.trim() === '') onChange(null)
        else if (Number.isFinite(Number(text))) onChange(Number(text))
      }}
      className="blank-line figures w-full"
    />
  )
}
