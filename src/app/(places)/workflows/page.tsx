import type { Metadata } from 'next'
import { keeperFor } from '@/app/_server/access'
import { visitor } from '@/app/_server/actor'
import { countedIn } from '@/app/_server/counting'
import { pool } from '@/app/_server/environment'
import { saying } from '@/app/_server/wording'
import { saysTheSame } from '@/core/document/same'
import { listBroken } from '@/store/broken'
import { namesById } from '@/store/people'
import { readSettings } from '@/store/settings'
import { dailyRuns, tallyWorkflows } from '@/store/today'
import { listWorkflows } from '@/store/workflows'
import { Page } from '@/ui/parts/page'
import { sent } from '@/ui/parts/sent'
import { WorkflowList } from '@/ui/workflows/list'

export const metadata: Metadata = { title: 'Workflows' }

const DAYS = 7

const tallies = countedIn((db) => tallyWorkflows(db, new Date(Date.now() - DAYS * 86_400_000)))
const runsByDay = countedIn(async (db) => dailyRuns(db, DAYS, (await readSettings(pool())).zone))

/** Every workflow: its state, what it waits for, and what came of it in the last week. Search and filters live in the address. */
export default async function Workflows({ searchParams }: { searchParams: Promise<{ q?: string; state?: string; table?: string }> }) {
  const actor = await visitor('PAGE /workflows')
  const [rows, { wording, does }, settings, asked, tallied, daily, broken] = await Promise.all([
    listWorkflows(pool(), keeperFor('PAGE /workflows', actor)),
    saying(),
    readSettings(pool()),
    searchParams,
    tallies.get(),
    runsByDay.get(),
    listBroken(pool()),
  ])
  const brokenBy = new Map(broken.map((b) => [b.id, b.problems[0] ?? '']))
  const tallyOf = new Map(tallied.map((t) => [t.workflow, t]))
  const owners = rows.flatMap((w) => w.keeper ?? w.created_by ?? [])
  const nameOf = await namesById(pool(), [...new Set(owners)])
  const workflows = rows.map((w) => {
    const tally = tallyOf.get(w.id)
    return {
      name: w.name,
      state: w.state,
      table: w.draft.table,
      does: does(w.draft),
      broken: brokenBy.get(w.id) ?? null,
      isAhead: w.live !== null && !saysTheSame(w.draft, w.live),
      owner: nameOf.get(w.keeper ?? w.created_by ?? -1) ?? null,
      isOwn: w.keeper !== null,
      runs: tally?.runs ?? 0,
      messages: tally?.messages ?? 0,
      failed: tally?.failed ?? 0,
      last: tally?.last?.toISOString() ?? null,
      daily: daily.get(w.name) ?? new Array<number>(DAYS).fill(0),
    }
  })
  const tables = [...wording.schema.values()].filter((t) => workflows.some((w) => w.table === t.name)).map((t) => ({ value: t.name, label: t.label }))
  return (
    <Page>
      <WorkflowList workflows={sent(workflows)} tables={tables} asked={asked} isMember={actor.role === 'member'} locale={settings.locale} zone={settings.zone} />
    </Page>
  )
}
