import type { Metadata } from 'next'
import { mayUse } from '@/app/_server/access'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { lastDaysOf } from '@/app/_server/figure-pasts'
import { allFigures, tableOfFigure } from '@/core/figures/computed'
import { unitOf } from '@/core/figures/groups'
import { labelOf } from '@/core/figures/label'
import { figureWords, shownValue } from '@/core/figures/words'
import { listFigures } from '@/store/figures/definitions'
import { listGroups } from '@/store/figures/values'
import { readGeneration } from '@/store/generation'
import { peopleByEmail } from '@/store/people'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'
import { Spark } from '@/ui/figures/spark'
import { ButtonLink } from '@/ui/parts/button'
import Link from '@/ui/parts/link'
import { Empty, Page, Title } from '@/ui/parts/page'

export const metadata: Metadata = { title: 'Figures' }

const DAYS = 30

/** Every figure: what it is now, its last days as a small picture, and what is beyond its threshold. */
export default async function Figures() {
  const actor = await visitor('PAGE /figures')
  const [figures, schema, settings, people, generation] = await Promise.all([
    listFigures(pool()),
    readSchema(pool()),
    readSettings(pool()),
    peopleByEmail(pool()),
    readGeneration(pool()),
  ])
  const all = allFigures(schema)
  const wording = { schema, organisation: settings, names: people.names }
  const shown = await Promise.all(figures.map(async (row) => ({ row, groups: await listGroups(pool(), row.id, 1_000), past: await lastDaysOf(row.definition, DAYS, generation) })))
  const canEdit = mayUse(actor.role, 'PUT /api/v1/figures/[name]')
  return (
    <Page>
      <Title
        actions={
          canEdit && (
            <ButtonLink kind="main" href="/figures/new">
              Make a figure
            </ButtonLink>
          )
        }
      >
        Figures
      </Title>
      {figures.length === 0 && (
        <Empty>No figure yet. A figure is a number worked out over a table’s records, such as the open claims of each owner; it can alert when it crosses a threshold.</Empty>
      )}
      <ul className="mt-4 grid grid-cols-1 gap-x-10 border-rule border-b md:grid-cols-2 xl:grid-cols-3">
        {shown.map(({ row, groups, past }) => {
          const { definition } = row
          const table = schema.get(tableOfFigure(definition, all) ?? '')
          if (!table) return null
          const value = (v: string | null | undefined) => shownValue(unitOf(definition, schema), v ?? null, settings)
          const far = groups.filter((g) => Object.values(g.sides).includes('far')).length
          const thresholds = definition.thresholds ?? []
          return (
            <li key={row.name} className="border-rule border-t py-4">
              <div className="flex items-baseline gap-3">
                <Link href={`/figures/${row.name}`} className="min-w-0 flex-1 truncate font-serif text-ink text-lg">
                  {labelOf(definition)}
                </Link>
                <span className="figures font-serif text-2xl">{value(groups[0]?.value)}</span>
              </div>
              <p className="truncate text-muted text-sm" title={figureWords(definition, table, wording)}>
                {figureWords(definition, table, wording)}
              </p>
              {row.fault && <p className="text-alarm text-sm">It is not kept up any more: {row.fault}</p>}
              {past && (
                <Spark
                  from={past.from.toISOString()}
                  to={past.to.toISOString()}
                  lines={past.lines.map((l) => ({ title: l.title, points: l.points.map((p) => ({ at: p.at.toISOString(), value: p.value })) }))}
                  thresholds={thresholds.flatMap((t) => (typeof t.value === 'number' ? [t.value] : []))}
                  crossings={past.crossings.map((c) => ({ at: c.at.toISOString(), value: c.value }))}
                  label={`${labelOf(definition)} over the last ${DAYS} days; now ${value(groups[0]?.value)}${past.lines[0]?.title ? ` for ${past.lines[0].title}` : ''}`}
                />
              )}
              <p className="flex justify-between text-sm">
                <span className="truncate text-muted">
                  {past?.lines[0]?.title ? `most: ${past.lines[0].title}${groups.length > 1 ? `, of ${groups.length}` : ''}` : `last ${DAYS} days`}
                </span>
                <span className={far ? 'font-semibold text-rope' : 'text-muted'}>
                  {thresholds.length === 0 ? 'no threshold' : far ? `${far === 1 && groups.length === 1 ? 'beyond' : `${far} beyond`} its threshold` : 'within its threshold'}
                </span>
              </p>
            </li>
          )
        })}
      </ul>
    </Page>
  )
}
