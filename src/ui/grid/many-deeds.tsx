'use client'

import { DropdownMenu } from 'radix-ui'
import { useState } from 'react'
import type { Condition } from '@/core/document/condition'
import type { TableDef } from '@/core/values/tables'
import { ManySheet, type Meant } from '../bulk/many-sheet'
import { records } from '../bulk/words'
import { Button } from '../parts/button'
import type { PersonChoice } from '../records/values'

interface Props {
  readonly table: TableDef
  readonly meant: Meant
  readonly count: number
  readonly people: readonly PersonChoice[]
  readonly isAdministrator: boolean
  readonly onDone: () => void
}

/** Changes or deletes the records that are meant, after a forecast. */
export function ManyDeeds({ table, meant, count, people, isAdministrator, onDone }: Props) {
  const [open, setOpen] = useState<'edit' | 'delete' | null>(null)
  return (
    <>
      <Button onClick={() => setOpen('edit')}>Change them …</Button>
      <Button kind="alarm" onClick={() => setOpen('delete')}>
        Delete them …
      </Button>
      {open && <ManySheet kind={open} table={table} meant={meant} count={count} people={people} isAdministrator={isAdministrator} onClose={() => setOpen(null)} onDone={onDone} />}
    </>
  )
}

const EXPORTS = [
  ['csv', 'CSV'],
  ['xlsx', 'an XLSX workbook'],
  ['jsonl', 'lines of JSON'],
] as const

/** What can be done with a whole table, or with all that its filter finds: change, delete, import, export. */
export function TableDeeds({
  table,
  where,
  order,
  count,
  people,
  mayWrite,
  isAdministrator,
  onDone,
}: Omit<Props, 'meant' | 'count'> & { where: Condition | null; order: string | null; count: number; mayWrite: boolean }) {
  const [open, setOpen] = useState<'edit' | 'delete' | null>(null)
  const query = new URLSearchParams({ ...(where ? { where: JSON.stringify(where) } : {}), ...(order ? { order } : {}) })
  const item = 'block cursor-pointer rounded-sm px-2 py-1 text-ink no-underline outline-none data-[highlighted]:bg-spruce-wash'
  const meant: Meant = { where: where ?? { field: 'id', op: 'is filled' } }
  const all = where ? `the ${records(count, table)} that fit` : `all ${records(count, table)}`
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger className="text-sm text-spruce hover:underline">Many at once</DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="end" sideOffset={6} className="z-50 min-w-56 rounded-md border border-rule bg-sheet p-1 shadow-lg">
            {mayWrite && (
              <DropdownMenu.Item asChild className={item}>
                <a href={`/records/${table.name}/import`}>Import a file</a>
              </DropdownMenu.Item>
            )}
            {EXPORTS.map(([kind, words]) => (
              <DropdownMenu.Item key={kind} asChild className={item}>
                <a href={`/api/v1/records/${table.name}.${kind}?${query}`}>Export as {words}</a>
              </DropdownMenu.Item>
            ))}
            {mayWrite && count > 0 && (
              <>
                <DropdownMenu.Item onSelect={() => setOpen('edit')} className={item}>
                  Change {all}
                </DropdownMenu.Item>
                <DropdownMenu.Item onSelect={() => setOpen('delete')} className={`${item} text-alarm`}>
                  Delete {all}
                </DropdownMenu.Item>
              </>
            )}
            {mayWrite && (
              <DropdownMenu.Item asChild className={item}>
                <a href="/bulk">What was written at once</a>
              </DropdownMenu.Item>
            )}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      {open && <ManySheet kind={open} table={table} meant={meant} count={count} people={people} isAdministrator={isAdministrator} onClose={() => setOpen(null)} onDone={onDone} />}
    </>
  )
}
