'use client'

import { useState } from 'react'
import type { NamedImport } from '@/core/bulk/named'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'

const path = (name: string) => `/api/v1/imports/${encodeURIComponent(name)}`

interface Props {
  readonly imports: readonly NamedImport[]
  readonly chosen: NamedImport | null
  readonly onChoose: (chosen: NamedImport | null) => void
}

/** The imports of a table that have a name: the next file is imported as the chosen one says. */
export function NamedImports({ imports, chosen, onChoose }: Props) {
  const { act } = useDeed()
  if (imports.length === 0) return null
  const forget = async (name: string) => {
    if (await act(() => call('DELETE', path(name)), `The import “${name}” is forgotten.`)) onChoose(null)
  }
  return (
    <fieldset className="mb-5">
      <legend className="text-muted text-sm">As an import with a name</legend>
      <ul className="border-rule border-b">
        {imports.map((named) => (
          <li key={named.name} className="flex items-baseline gap-4 border-rule border-t py-1.5">
            <label className="flex min-w-0 flex-1 cursor-pointer items-baseline gap-2">
              <input type="radio" name="import" className="accent-spruce" checked={chosen?.name === named.name} onChange={() => onChoose(named)} />
              <b className="font-semibold">{named.name}</b>
              <span className="truncate text-muted text-sm">
                {named.key ? `finds records by ${named.key}` : 'each row a new record'}
                {named.deleteMissing && ', deletes what is missing'}
                {named.partly && ', takes the good rows'}
                {named.quiet && ', quietly'}
              </span>
            </label>
            <code className="font-mono text-muted text-xs">inbox/{named.name}/</code>
            <Button kind="alarm" onClick={() => void forget(named.name)}>
              Forget
            </Button>
          </li>
        ))}
      </ul>
    </fieldset>
  )
}

/** Keeps how a file is imported under a name, for the next one: dropped here, sent to the API, or laid into the import's folder. */
export function KeepImport({ name: begun, body, onKept }: { name: string; body: object; onKept: (named: NamedImport) => void }) {
  const { act } = useDeed()
  const [name, setName] = useState(begun)
  const keep = () =>
    act(async () => onKept(await call<NamedImport>('PUT', path(name.trim()), body)), `Kept as “${name.trim()}”. A file laid into inbox/${name.trim()}/ is imported so.`)
  return (
    <p className="mt-6 flex items-baseline gap-4 border-rule border-t pt-3">
      <span className="shrink-0 text-muted text-sm">Do the next file likewise: keep this as</span>
      <input
        aria-label="Keep this import as"
        className="blank-line max-w-56"
        value={name}
        onChange={(e) => setName(e.target.value)}
        onKeyDown={(e) => {
          if (e.key !== 'Enter') return
          e.preventDefault() // the form is the import itself
          void keep()
        }}
      />
      <Button disabled={!name.trim()} onClick={() => void keep()}>
        Keep it
      </Button>
    </p>
  )
}
