import { type Image, type Organisation, type RecordId, recordPath, type TableDef, titleOf } from '@/core/values/tables'
import Link from '../parts/link'
import { shownValue } from './values'

interface List {
  readonly table: TableDef
  readonly field: string
  readonly label: string
  readonly count: number
  readonly records: readonly Image[]
}

/** The records of another table whose link points here. */
export function RelatedList({ list, about, id, organisation }: { list: List; about: TableDef; id: RecordId; organisation: Organisation }) {
  const shown = list.table.fields.filter((f) => f.name !== list.table.titleField && f.name !== list.field && !['link', 'person', 'file', 'long text'].includes(f.type)).slice(0, 4)
  const all = `/records/${list.table.name}?where=${encodeURIComponent(JSON.stringify({ all: [{ field: list.field, op: 'is', value: id }] }))}`
  const isPlain = list.field === about.singular
  return (
    <section aria-label={list.table.label} className="mb-7">
      <h2 className="mb-1 flex items-baseline gap-3 font-serif text-xl">
        {list.table.label}
        {!isPlain && <span className="font-sans text-muted text-sm">as {list.label.toLowerCase()}</span>}
        <span className="font-sans text-muted text-sm">{list.count}</span>
        {list.count > list.records.length && (
          <Link href={all} className="font-sans text-sm">
            All of them
          </Link>
        )}
      </h2>
      {list.records.length === 0 ? (
        <p className="border-rule border-t pt-1.5 text-muted">None.</p>
      ) : (
        <ul className="border-rule border-b">
          {list.records.map((r) => (
            <li key={String(r.id)} className="grid grid-cols-[minmax(0,1.4fr)_repeat(4,minmax(0,1fr))] gap-4 border-rule border-t py-1.5">
              <Link href={recordPath(list.table.name, r.id)} className="truncate font-semibold">
                {titleOf(list.table, r)}
              </Link>
              {shown.map((f) => (
                <span key={f.name} className="truncate text-muted" title={f.label}>
                  {shownValue(f, r[f.name], {}, organisation)}
                </span>
              ))}
            </li>
          ))}
        </ul>
      )}
    </section>
  )
}
