'use client'

import { useQuery } from '@tanstack/react-query'
import { group } from 'd3'
import { useRouter } from 'next/navigation'
import { useMemo, useState } from 'react'
import type { Condition } from '@/core/document/condition'
import { fieldOf, type Organisation, type TableDef } from '@/core/values/tables'
import { startersOf, valueStartersOf } from '@/core/words/starters'
import { call } from '../api'
import { pastChangesPage } from '../propose/address'
import { useTables } from '../records/tables-context'
import { WordsField } from '../words/words-field'
import { WordsPopover } from '../words/words-popover'

const valueWords = (value: string | boolean) => (typeof value === 'boolean' ? (value ? 'yes' : 'no') : value)

const FRESH_MS = 60_000

interface Props {
  readonly table: TableDef
  readonly organisation: Organisation
  readonly mine: string | null
  /** What the table is narrowed to already, as a filter does. */
  readonly where?: Condition | null
}

/** A workflow about a table: said in words, or begun from one that is drawn from the table's own fields. */
export function Starters({ table, organisation, mine, where = null }: Props) {
  const router = useRouter()
  const schema = useTables()
  const [isOpen, setOpen] = useState(false)
  // which fields change most is asked once it matters; until then, no order is shown that would change
  const { data, error } = useQuery({
    queryKey: ['moves', table.name],
    queryFn: () => call<{ moves: Readonly<Record<string, number>> }>('GET', `/api/v1/tables/${table.name}/moves`),
    enabled: isOpen,
    staleTime: FRESH_MS,
  })
  const isShown = isOpen && Boolean(data || error)
  const setting = useMemo(
    () => ({ wording: { schema, organisation, names: new Map<string, string>() }, mine, moves: new Map(Object.entries(data?.moves ?? {})) }),
    [schema, organisation, mine, data],
  )
  const becoming = group(isShown ? valueStartersOf(table, setting) : [], ({ field }) => (fieldOf(table, field)?.label ?? field).toLowerCase())
  const open = (key: string | null) => router.push(`/workflows/new?table=${table.name}${key ? `&starter=${encodeURIComponent(key)}` : ''}`)
  const item = 'block w-full cursor-pointer rounded-sm px-2 py-1 text-left hover:bg-spruce-wash focus-visible:bg-spruce-wash'
  return (
    <WordsPopover words={mine ? 'Tell me when …' : 'Tell somebody when …'} open={isOpen} setOpen={setOpen}>
      {!mine && <WordsField place={`table ${table.name}`} table={table.name} where={where} autoFocus label="Tell somebody when …" onLeave={() => setOpen(false)} />}
      <div role="menu" aria-label="Begin from" className="mt-3 gap-x-6 sm:columns-2">
        {(isShown ? startersOf(table, setting) : []).map((starter) => (
          <button key={starter.key} type="button" role="menuitem" onClick={() => open(starter.key)} className={item}>
            {starter.words}
          </button>
        ))}
        {[...becoming].map(([field, starters]) => (
          <fieldset key={field} aria-label={`${field} becomes`} className="break-inside-avoid px-2 py-1">
            {field} becomes{' '}
            {starters.map((starter) => (
              <button
                key={starter.key}
                type="button"
                role="menuitem"
                aria-label={starter.words}
                onClick={() => open(starter.key)}
                className="mr-2 text-spruce underline-offset-4 hover:underline"
              >
                {valueWords(starter.value)}
              </button>
            ))}
          </fieldset>
        ))}
        {!mine && (
          <button type="button" role="menuitem" onClick={() => router.push(pastChangesPage({ table: table.name }))} className={`${item} text-muted`}>
            from past changes: point at what should have
          </button>
        )}
        <button type="button" role="menuitem" onClick={() => open(null)} className={`${item} text-muted`}>
          something else: start from nothing
        </button>
      </div>
    </WordsPopover>
  )
}
