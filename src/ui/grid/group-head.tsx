import { fieldOf, type Organisation, type TableDef } from '@/core/values/tables'
import type { RecordGroup } from '@/store/sums'
import { shownValue } from '../records/values'
import { ROW_HEIGHT } from './lines'

/** The head of records that have the same value. */
export function GroupHead({
  group,
  table,
  by,
  line,
  top,
  organisation,
}: {
  group: RecordGroup
  table: TableDef
  by: string
  line: number
  top: number
  organisation: Organisation
}) {
  const field = fieldOf(table, by)
  const words = group.title ?? (field ? shownValue(field, group.value, {}, organisation) : '')
  return (
    // biome-ignore lint/a11y/useSemanticElements: see the grid
    // biome-ignore lint/a11y/useFocusableInteractive: there is nothing to do in it
    <div role="row" aria-rowindex={line + 2} className="absolute left-0 flex w-full items-end border-ink border-b" style={{ top, height: ROW_HEIGHT }}>
      {/* biome-ignore lint/a11y/useSemanticElements: see the grid */}
      {/* biome-ignore lint/a11y/useFocusableInteractive: there is nothing to do in it */}
      <div role="gridcell" className="sticky left-0 flex items-baseline gap-3 px-2 pb-1">
        <span className="text-muted text-sm">{field?.label}</span>
        <b className="font-serif text-lg leading-none">{words || 'blank'}</b>
        <span className="figures text-muted text-sm">{group.count.toLocaleString(organisation.locale)}</span>
      </div>
    </div>
  )
}
