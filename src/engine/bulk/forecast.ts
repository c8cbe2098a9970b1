import type { Pool } from 'pg'
import type { Change, ChangedBy } from '@/core/changes/change'
import { MailCount } from '@/core/limits/mail-count'
import { must } from '@/core/must'
import type { Schema } from '@/core/values/tables'
import { lastChange } from '@/store/bulk/log'
import { netOfRows } from '@/store/changes'
import { type Queryable, tentatively } from '@/store/database'
import { readOwnWrites } from '@/store/log'
import { actAs } from '@/store/who'
import { SlowOnes } from '../apart/patience'
import { decide } from '../fire'
import { type Dry, gateDry } from '../limits/known'
import { type LiveWorkflow, loadProgram, type Program } from '../program'
import { type FileTold, tellOpened } from './opened'
import { type Bulk, openBulk, tryBulk, type WriteOptions, type Written } from './write'

/** What a workflow would do about many records written at once. */
export interface ForecastWorkflow {
  readonly name: string
  readonly firings: number
  /** Runs that would fail, or that take long to work out. */
  readonly failing: number
  /** What would begin to wait, where it is to stay so first. */
  readonly waits: number
  /** Mails after its limits; what is gathered counts once a digest. */
  readonly messages: number
  readonly notices: number
}

/** What many records written at once would come to, and set off. */
export interface Forecast extends Written {
  /** What was recognised of a file. */
  readonly file?: FileTold
  /** Changes that it makes, and of how many of them, the first, the rest is told. */
  readonly changes: number
  readonly looked: number
  readonly workflows: readonly ForecastWorkflow[]
  readonly messages: number
  readonly notices: number
  /** How many addresses, and those that would get most. */
  readonly addresses: number
  readonly recipients: readonly { readonly address: string; readonly messages: number }[]
}

/** How long a forecast takes in all, and how long it looks at least at what it sets off, in milliseconds: its rows are locked meanwhile. */
const IN_ALL_MS = 2_700
const LOOKING_MS = 400
const AT_ONCE = 500
const READ_AT_ONCE = 5_000
const MOST_RECIPIENTS = 1_000

/**
 * What many records written at once would come to, counted over all of them, and what they would set off: as many as there is time for, the first, are written in a transaction
 * that is rolled back, and live workflows are evaluated over its changes, as a worker does it. Nothing is sent or kept, no automatic number is used up.
 * @throws Unreadable, Refused, AbortError
 */
export async function forecastBulk(pool: Pool, bulk: Bulk, by: ChangedBy, baseUrl: string, options: WriteOptions): Promise<Forecast> {
  const begun = performance.now()
  const opened = await openBulk(bulk, options.setting)
  const file = opened && (await tellOpened(opened))
  return tentatively(pool, async (db) => {
    await actAs(db, { by: bulk.kind === 'import' ? { ...by, kind: 'import' } : by })
    let after = await lastChange(db)
    const tried = await tryBulk(pool, db, bulk, opened, options)
    const program = withoutTrials(await loadProgram(db, baseUrl))
    const tally = new Tally()
    let looked = 0
    const end = Math.max(begun + IN_ALL_MS, performance.now() + LOOKING_MS)
    const isWatched = program.byTable.has(bulk.table)
    for await (const _ of tried.pieces()) {
      for (const table of program.byTable.keys())
        for await (const some of ownChanges(db, program.surroundings.schema, table, after)) {
          options.signal?.throwIfAborted()
          tally.add(await decide(db, program, some, { apart: null, slow: new SlowOnes() }))
          if (table === bulk.table) looked += some.length
        }
      after = await lastChange(db)
      if (performance.now() >= end) break
    }
    const written = tried.told()
    const changes = written.created + written.changed + written.deleted
    return { ...written, ...(file ? { file } : {}), changes, looked: isWatched ? looked : changes, ...(await tally.told(db)) }
  })
}

/** What this transaction changed in a table after a change, some at a time. */
async function* ownChanges(db: Queryable, schema: Schema, table: string, after: number): AsyncGenerator<Change[]> {
  for (let from = after; ; ) {
    const rows = await readOwnWrites(db, table, from, READ_AT_ONCE)
    const changes = netOfRows(rows, schema)
    for (let i = 0; i < changes.length; i += AT_ONCE) yield changes.slice(i, i + AT_ONCE)
    if (rows.length < READ_AT_ONCE) return
    from = must(rows.at(-1)).id
  }
}

const withoutTrials = (program: Program): Program => ({ ...program, byTable: new Map([...program.byTable].map(([table, live]) => [table, live.filter((l) => !l.trial)])) })

/** Counts what workflows would do, workflow by workflow. */
class Tally {
  private readonly byWorkflow = new Map<LiveWorkflow, { plans: Dry[]; failing: number; waits: number }>()

  add(fired: Awaited<ReturnType<typeof decide>>): void {
    for (const { live, occasion, settled } of fired) {
      const own = this.byWorkflow.get(live) ?? { plans: [], failing: 0, waits: 0 }
      this.byWorkflow.set(live, own)
      if ('fault' in settled) own.failing++
      else if (live.stays) own.waits++
      else own.plans.push({ occasion, plan: settled.plan })
    }
  }

  /** What it came to, through the limits of each workflow. */
  async told(db: Queryable): Promise<Pick<Forecast, 'workflows' | 'messages' | 'notices' | 'addresses' | 'recipients'>> {
    const mail = new MailCount()
    const workflows: ForecastWorkflow[] = []
    for (const [live, { plans, failing, waits }] of this.byWorkflow) {
      const { workflow, surroundings } = must(live.compiled)
      const through = await gateDry(db, plans, { ...workflow, name: live.name }, surroundings.organisation)
      workflows.push({ name: live.name, firings: plans.length, failing, waits, ...mail.add(through) })
    }
    const recipients = mail.recipients()
    return {
      workflows: workflows.sort((a, b) => b.messages - a.messages || b.firings - a.firings || a.name.localeCompare(b.name)),
      messages: mail.messages,
      notices: mail.notices,
      addresses: recipients.length,
      recipients: recipients.slice(0, MOST_RECIPIENTS),
    }
  }
}
