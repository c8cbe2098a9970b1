import type { Metadata } from 'next'
import { keeperFor, mayUse } from '@/app/_server/access'
import { visitor } from '@/app/_server/actor'
import { pool, replica } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { runsAsked } from '@/app/_server/runs'
import { withWhatMoved } from '@/engine/answers/what-moved'
import { listRuns } from '@/store/runs'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'
import { listWorkflows } from '@/store/workflows'
import Link from '@/ui/parts/link'
import { Page, Title } from '@/ui/parts/page'
import { AllAgain } from '@/ui/runs/again'
import { RunFilters, type RunsAsked } from '@/ui/runs/filters'
import { RunList } from '@/ui/runs/list'

export const metadata: Metadata = { title: 'Runs' }

const PAGE = 100

/** Each firing of a live workflow, the newest first; filters live in the address. */
export default async function Runs({ searchParams }: { searchParams: Promise<Record<string, string | undefined>> }) {
  const actor = await visitor('PAGE /runs')
  const given = await searchParams
  const { workflow, table, state, record, day, to } = given
  const filters: RunsAsked = { workflow, table, state, record, day, to }
  // a stale or faulty address still opens the list
  const asked = await runsAsked(new URLSearchParams(Object.entries(given).filter((e): e is [string, string] => Boolean(e[1])))).catch((error: unknown) => {
    if (error instanceof Problem) return {}
    throw error
  })
  const keeper = keeperFor('PAGE /runs', actor)
  const [runs, workflows, settings, schema] = await Promise.all([
    replica().readNow((db) => listRuns(db, { ...asked, keeper, limit: PAGE })),
    listWorkflows(pool(), keeper),
    readSettings(pool()),
    readSchema(pool()),
  ])
  const told = await replica().readNow((db) => withWhatMoved(db, runs, workflows, schema, settings))
  const tables = [...schema.values()].filter((t) => t.name !== 'person').map((t) => ({ value: t.name, label: t.label }))
  return (
    <Page>
      <Title
        actions={
          <>
            <AllAgain asked={filters} some={runs.length} />
            {mayUse(actor.role, 'PAGE /messages') && <Link href="/messages">Messages</Link>}
            <Link href="/notices">Notices</Link>
          </>
        }
      >
        Runs
      </Title>
      <p className="mb-4 text-muted">Each firing of a live workflow, the newest first.</p>
      <RunFilters asked={filters} workflows={workflows.map((w) => w.name)} tables={tables} />
      <RunList runs={told} next={runs.length === PAGE ? (runs[runs.length - 1]?.id ?? null) : null} filters={filters} locale={settings.locale} zone={settings.zone} />
    </Page>
  )
}
