'use client'

import type { RecordId, TableDef } from '@/core/values/tables'
import { Deeds } from '../by-hand/deeds-menu'
import { Button } from '../parts/button'
import type { PersonChoice } from '../records/values'
import { counted } from '../today/summary'

/** What can be done with the records that are chosen in a grid. */
export function ChosenBar({ table, chosen, people, onClear }: { table: TableDef; chosen: ReadonlySet<RecordId>; people: readonly PersonChoice[]; onClear: () => void }) {
  if (chosen.size === 0) return null
  const said = `For ${counted(chosen.size, table.singular.replaceAll('_', ' '), table.label.toLowerCase())}`
  return (
    <section aria-label="Chosen" className="mb-1 flex flex-wrap items-baseline gap-x-6 border-rope-mark border-l-3 bg-rope-wash px-3 py-1.5">
      <span className="font-semibold" aria-live="polite">
        {chosen.size.toLocaleString('en-GB')} chosen
      </span>
      <Deeds table={table.name} records={[...chosen]} said={said} people={people} onSent={onClear} />
      <span className="ml-auto">
        <Button onClick={onClear} shortcut="Esc">
          Choose none
        </Button>
      </span>
    </section>
  )
}
