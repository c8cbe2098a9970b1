import { readable } from '@/core/values/readable'
import { fieldOf, type Organisation, type TableDef } from '@/core/values/tables'
import type { Trace } from '@/store/runs'
import { Time } from '../parts/time'

const VERBS = { created: 'Added', changed: 'Changed', deleted: 'Deleted' } as const

/** What a change changed, field by field, by whom and when. */
export function WhatChanged({
  change,
  table,
  titles,
  organisation,
}: {
  change: NonNullable<Trace['change']>
  table: TableDef
  titles: ReadonlyMap<string, string>
  organisation: Organisation
}) {
  const value = (name: string, image: NonNullable<Trace['change']>['before']) => readable(fieldOf(table, name), image?.[name], titles, organisation)
  return (
    <section aria-label="What changed" className="mb-6">
      <p className="mb-1 text-muted text-sm">
        {VERBS[change.kind]} by <b className="font-semibold text-ink">{change.by.name}</b>, <Time at={change.at} locale={organisation.locale} zone={organisation.zone} />
      </p>
      <dl className="border-rule border-b">
        {change.changed.map((name) => (
          <div key={name} className="grid grid-cols-[160px_minmax(0,1fr)] gap-4 border-rule border-t py-1">
            <dt className="text-muted">{fieldOf(table, name)?.label ?? name}</dt>
            <dd>
              {change.kind === 'changed' && (
                <>
                  <span className="text-muted line-through decoration-1">{value(name, change.before)}</span> <span aria-hidden>→</span>{' '}
                </>
              )}
              <span className="font-semibold text-rope">{value(name, change.after)}</span>
            </dd>
          </div>
        ))}
      </dl>
    </section>
  )
}
