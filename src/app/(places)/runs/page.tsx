import type { Metadata } from 'next'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { keeperFor } from '@/app/_server/workflows'
import { listRuns } from '@/store/runs'
import { readSettings } from '@/store/settings'
import { listWorkflows } from '@/store/workflows'
import { Page, Title } from '@/ui/parts/page'
import { RunFilters } from '@/ui/runs/filters'
import { RunList } from '@/ui/runs/list'

export const metadata: Metadata = { title: 'Runs' }

const PAGE = 100

export default async function Runs({ searchParams }: { searchParams: Promise<Record<string, string | undefined>> }) {
  const actor = await visitor('PAGE /runs')
  const { workflow, state, after } = await searchParams
  const [runs, workflows, settings] = await Promise.all([
    listRuns(pool(), { workflow, state, after: after ? Number(after) || undefined : undefined, keeper: keeperFor(actor), limit: PAGE }),
    listWorkflows(pool(), keeperFor(actor)),
    readSettings(pool()),
  ])
  return (
    <Page>
      <Title>Runs</Title>
      <p className="mb-4 text-muted">Each firing of a live workflow, the newest first.</p>
      <RunFilters workflows={workflows.map((w) => w.name)} workflow={workflow ?? null} state={state ?? null} />
      <RunList runs={runs} next={runs.length === PAGE ? (runs[runs.length - 1]?.id ?? null) : null} filters={{ workflow, state }} locale={settings.locale} zone={settings.zone} />
    </Page>
  )
}
