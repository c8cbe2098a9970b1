'use client'

import type { RecordId, TableDef } from '@/core/values/tables'
import { Deeds } from '../by-hand/deeds-menu'
import { Button, ButtonLink } from '../parts/button'
import { pastChangesPage } from '../propose/address'
import type { PersonChoice } from '../records/values'
import { counted } from '../today/summary'
import { ManyDeeds } from './many-deeds'

/** Most records whose newest change is marked. */
const MOST_MARKED = 50

interface Props {
  readonly table: TableDef
  readonly chosen: ReadonlySet<RecordId>
  readonly people: readonly PersonChoice[]
  readonly role: 'administrator' | 'editor' | 'member'
  readonly onClear: () => void
}

/** What can be done with the records that are chosen in a grid. */
export function ChosenBar({ table, chosen, people, role, onClear }: Props) {
  if (chosen.size === 0) return null
  const said = `For ${counted(chosen.size, table.singular.replaceAll('_', ' '), table.label.toLowerCase())}`
  return (
    <section aria-label="Chosen" className="mb-1 flex flex-wrap items-baseline gap-x-6 border-rope-mark border-l-3 bg-rope-wash px-3 py-1.5">
      <span className="font-semibold" aria-live="polite">
        {chosen.size.toLocaleString('en-GB')} chosen
      </span>
      <Deeds table={table.name} records={[...chosen]} said={said} people={people} onSent={onClear} />
      {role !== 'member' && <ButtonLink href={pastChangesPage({ table: table.name, records: [...chosen].slice(0, MOST_MARKED) })}>Should have told somebody</ButtonLink>}
      {role !== 'member' && (
        <>
          <ButtonLink href={pastChangesPage({ table: table.name, records: [...chosen].slice(0, MOST_MARKED) })}>Should have told somebody</ButtonLink>
          <ManyDeeds table={table} meant={{ ids: [...chosen] }} count={chosen.size} people={people} isAdministrator={role === 'administrator'} onDone={onClear} />
        </>
      )}
      <span className="ml-auto">
        <Button onClick={onClear} shortcut="Esc">
          Choose none
        </Button>
      </span>
    </section>
  )
}
