import type { Change } from '@/core/changes/change'
import { changePath, fieldOf, titleOf } from '@/core/values/tables'
import Link from '../parts/link'
import { Time } from '../parts/time'
import type { Past } from './past'

const VERBS = { created: 'added it', changed: 'changed it', deleted: 'deleted it' } as const

/** Most fields that a new record is told by. */
const MOST_FIELDS = 4

/** What a change changed, of which record, by whom and when. */
export function Difference({ change, past }: { change: Change; past: Past }) {
  const { table, organisation, shown } = past
  const fields = change.kind === 'changed' ? change.changed : change.changed.slice(0, MOST_FIELDS)
  const more = change.changed.length - fields.length
  return (
    <div className="min-w-0">
      <p className="flex items-baseline justify-between gap-3">
        <b className="truncate font-semibold">{titleOf(table, change.after ?? change.before ?? {})}</b>
        <span className="whitespace-nowrap text-muted text-sm">
          {change.by.name} {VERBS[change.kind]}, <Time at={change.at} locale={organisation.locale} zone={organisation.zone} />
          <Link href={changePath(change.id, table.name)} className="pl-3" aria-label="Why this change fired or did not">
            why
          </Link>
        </span>
      </p>
      <p className="text-sm">
        {fields.map((name, i) => (
          <span key={name}>
            {i > 0 && <span className="text-muted">, </span>}
            <span className="text-muted">
              {fieldOf(table, name)?.label.toLowerCase() ?? name} {change.kind === 'changed' && <>{shown(name, change.before?.[name])} → </>}
            </span>
            <span className="text-rope">{shown(name, (change.after ?? change.before)?.[name])}</span>
          </span>
        ))}
        {more > 0 && <span className="text-muted"> and {more} more</span>}
      </p>
    </div>
  )
}
