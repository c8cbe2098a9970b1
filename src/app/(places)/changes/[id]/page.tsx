import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { keeperFor } from '@/app/_server/access'
import { type Actor, visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { type Why, whysOf } from '@/app/_server/why'
import { titlesOfWrites } from '@/app/_server/write-titles'
import type { Change } from '@/core/changes/change'
import { must } from '@/core/must'
import { recordPath, type TableDef, titleOf } from '@/core/values/tables'
import { readWording } from '@/engine/program'
import { findChange, mayBeDropped } from '@/store/changes'
import { listMessages } from '@/store/messages'
import { readTitles } from '@/store/records'
import { readSettings } from '@/store/settings'
import { listWorkflows, type WorkflowRow } from '@/store/workflows'
import { Explained } from '@/ui/changes/explained'
import { type JudgedWorkflow, WorkflowsOfChange } from '@/ui/changes/workflows-of-change'
import Link from '@/ui/parts/link'
import { Empty, Page, Title } from '@/ui/parts/page'
import { WhatChanged } from '@/ui/runs/what-changed'
import { counted, mailAndNotices } from '@/ui/today/summary'

type Props = { params: Promise<{ id: string }>; searchParams: Promise<{ workflow?: string; table?: string }> }

export const metadata: Metadata = { title: 'Why' }

/** Why, and why not: a recorded change against every workflow of its table, line by line, with linked data as it stood then. */
export default async function ChangePage({ params, searchParams }: Props) {
  const actor = await visitor('PAGE /changes/[id]')
  const [{ id }, asked, wording, settings] = await Promise.all([params, searchParams, readWording(pool()), readSettings(pool())])
  const number = /^\d{1,15}$/.test(id) ? Number(id) : null
  const change = number === null ? null : await findChange(pool(), wording.schema, number, asked.table)
  const table = change && wording.schema.get(change.table)
  if (!change && number !== null && (await mayBeDropped(pool(), number))) return <Dropped months={settings.keepMonths} />
  if (!change || !table) notFound()
  const rows = (await listWorkflows(pool(), keeperFor('PAGE /workflows', actor))).filter((w) => (w.live ?? w.draft).table === change.table)
  const others = actor.role === 'member' ? await othersOf(actor, change, rows) : null
  const whys = await whysOf(rows, change)
  const judged = rows.map((row, i) => ({ row, why: must(whys[i]) }))
  const rank = ({ why }: { why: Why }) => (why.run ? 0 : fires(why) ? 1 : 2)
  judged.sort((a, b) => rank(a) - rank(b) || a.row.name.localeCompare(b.row.name))
  const chosen = judged.find((j) => j.row.name === asked.workflow) ?? judged[0]
  const titles = await readTitles(pool(), wording.schema, table, [change.before ?? {}, change.after ?? {}])
  if (chosen && 'plan' in chosen.why.settled) for (const [key, words] of await titlesOfWrites(wording.schema, chosen.why.settled.plan.writes)) titles.set(key, words)
  const title = titleOf(table, change.after ?? change.before ?? {})
  const fired = judged.filter((j) => j.why.run)
  return (
    <Page margin={chosen && <Explained name={chosen.row.name} why={chosen.why} change={change} table={table} wording={wording} titles={titles} />}>
      <Title>
        Why, for a change of{' '}
        <Link href={recordPath(change.table, change.record)} className="underline decoration-1 underline-offset-4">
          {title}
        </Link>
      </Title>
      <p className="mb-4 font-serif text-lg">
        {others !== null
          ? othersWords(others, table)
          : judged.length === 0
            ? `No workflow waits for changes of ${table.label.toLowerCase()}.`
            : fired.length === 0
              ? `It set off none of the ${counted(judged.length, 'workflow')} of ${table.label.toLowerCase()}.`
              : `It set off ${fired.map((j) => j.row.name).join(', ')}: ${mailAndNotices(
                  fired.reduce((n, j) => n + (j.why.run?.messages.length ?? 0), 0),
                  fired.reduce((n, j) => n + (j.why.run?.notices.length ?? 0), 0),
                )} in all.`}
      </p>
      <WhatChanged change={{ ...change, at: change.at.toISOString() }} table={table} titles={titles} organisation={settings} />
      {judged.length === 0 && others === null ? (
        <Empty>Make one from the table under Records.</Empty>
      ) : (
        <WorkflowsOfChange change={change} workflows={judged.map(judgedOf)} chosen={chosen?.row.name ?? null} />
      )}
    </Page>
  )
}

/** What a member may know of others' workflows: how many wait for such changes, and how many wrote to them about this one. */
interface Others {
  readonly waiting: number
  readonly wrote: number
}

async function othersOf(actor: Actor, change: Change, own: readonly WorkflowRow[]): Promise<Others> {
  const all = (await listWorkflows(pool())).filter((w) => w.state === 'live' && w.live?.table === change.table && !own.some((o) => o.id === w.id))
  const mail = await listMessages(pool(), { table: change.table, record: change.record, to: actor.email ?? '', limit: 1_000 })
  const wrote = new Set(mail.filter((m) => m.change === change.id && !own.some((o) => o.name === m.workflow)).map((m) => m.workflow))
  return { waiting: all.length, wrote: wrote.size }
}

function othersWords({ waiting, wrote }: Others, table: TableDef): string {
  const what = `changes of ${table.label.toLowerCase()}`
  if (waiting === 0 && wrote === 0) return `No workflow of others waits for ${what} now, and none wrote to you about this one.`
  const wait = waiting === 1 ? `One workflow of others waits for ${what}` : `${counted(waiting, 'workflow')} of others wait for ${what}`
  return `${wait}; ${wrote === 0 ? 'none' : wrote === 1 ? 'one' : wrote} wrote to you about this one.`
}

const fires = ({ settled }: Why) => 'plan' in settled && settled.plan.fires

function judgedOf({ row, why }: { row: WorkflowRow; why: Why }): JudgedWorkflow {
  const { settled, run, state } = why
  return {
    name: row.name,
    state: row.state,
    fires: fires(why),
    why: 'fault' in settled ? settled.fault : settled.plan.why,
    stood: run ? '' : state,
    run: run && { id: run.id, state: run.state, messages: run.messages.length, notices: run.notices.length, limited: run.notes.map((n) => n.message) },
  }
}

/** What is said of a change whose month is over. */
function Dropped({ months }: { months: number }) {
  return (
    <Page>
      <Title>Why, for a change that is kept no more</Title>
      <Empty>Changes are kept for {months} months; this one’s month is over, or it was never finished. Its runs and their mail are still in the log.</Empty>
    </Page>
  )
}
