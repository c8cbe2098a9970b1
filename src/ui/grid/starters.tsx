'use client'

import { group } from 'd3'
import { useRouter } from 'next/navigation'
import { Popover } from 'radix-ui'
import { useState } from 'react'
import type { Condition } from '@/core/document/condition'
import { fieldOf, type TableDef } from '@/core/values/tables'
import { startersOf, valueStartersOf } from '@/core/workflow/starters'
import { WordsField } from '../words/words-field'

const valueWords = (value: string | boolean) => (typeof value === 'boolean' ? (value ? 'yes' : 'no') : value)

/** A workflow about a table: said in words, or begun from one that is drawn from the table's own fields; `where` is what it is narrowed to already, as a filter does. */
export function Starters({ table, mine, where = null }: { table: TableDef; mine: string | null; where?: Condition | null }) {
  const router = useRouter()
  const [isOpen, setOpen] = useState(false)
  const becoming = group(valueStartersOf(table, mine), ({ field }) => (fieldOf(table, field)?.label ?? field).toLowerCase())
  const open = (key: string | null) => router.push(`/workflows/new?table=${table.name}${key ? `&starter=${encodeURIComponent(key)}` : ''}`)
  const item = 'block w-full cursor-pointer rounded-sm px-2 py-1 text-left hover:bg-spruce-wash focus-visible:bg-spruce-wash'
  return (
    <Popover.Root open={isOpen} onOpenChange={setOpen}>
      <Popover.Trigger className="text-spruce text-sm hover:underline">{mine ? 'Tell me when …' : 'Tell somebody when …'}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          collisionPadding={12}
          className="z-40 max-h-[min(680px,80vh)] w-[min(640px,94vw)] overflow-y-auto rounded-md border border-rule bg-sheet px-4 py-3 shadow-lg"
        >
          {!mine && <WordsField place={`table ${table.name}`} table={table.name} where={where} autoFocus label="Tell somebody when …" onLeave={() => setOpen(false)} />}
          <div role="menu" aria-label="Begin from" className="mt-3 gap-x-6 sm:columns-2">
            {startersOf(table, mine).map((starter) => (
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
            <button type="button" role="menuitem" onClick={() => open(null)} className={`${item} text-muted`}>
              something else: start from nothing
            </button>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
