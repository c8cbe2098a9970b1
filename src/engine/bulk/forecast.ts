import type { Pool } from 'pg'
import type { ChangedBy } from '@/core/changes/change'
import { must } from '@/core/must'
import type { Plan } from '@/core/workflow/plan'
import { lastChange } from '@/store/bulk/log'
import { netOfRows } from '@/store/changes'
import { type Queryable, tentatively } from '@/store/database'
import { readOwnWrites } from '@/store/log'
import { actAs } from '@/store/who'
import { SlowOnes } from '../apart/patience'
import { decide } from '../fire'
import { type Dry, gateDry } from '../limits/known'
import { type LiveWorkflow, loadProgram, type Program } from '../program'
import { type FileTold, lookIntoFile } from './file-told'
import { type Bulk, type WriteOptions, type Written, writeBulk } from './write'

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
  /** How many addresses, and those that would get most. */
  readonly addresses: number
  readonly recipients: readonly { readonly address: string; readonly messages: number }[]
}

/** How long is looked at what it sets off, in milliseconds: its rows are locked meanwhile. */
const LOOKING_MS = 2_500
const AT_ONCE = 500
const READ_AT_ONCE = 5_000
const MOST_RECIPIENTS = 1_000

/**
 * What many records written at once would set off: they are written in a transaction that is rolled back, and live workflows are evaluated over its changes, as a worker
 * does it. Nothing is sent or kept, no automatic number is used up.
 * @throws Unreadable, Refused, AbortError
 */
export async function forecastBulk(pool: Pool, bulk: Bulk, by: ChangedBy, baseUrl: string, options: WriteOptions): Promise<Forecast> {
  const file = bulk.kind === 'import' ? await lookIntoFile(bulk, must(options.setting.schema.get(bulk.table)), options.organisation) : null
  return tentatively(pool, async (db) => {
    await actAs(db, { by: bulk.kind === 'import' ? { ...by, kind: 'import' } : by })
    const after = await lastChange(db)
    const written = await writeBulk(pool, db, bulk, { ...options, isForecast: true })
    const program = await loadProgram(db, baseUrl)
    const tally = new Tally()
    let looked = 0
    const end = Date.now() + LOOKING_MS
    for (const table of [bulk.table, ...[...program.byTable.keys()].filter((t) => t !== bulk.table)]) {
      if (!program.byTable.has(table)) continue
      for (let from = after; Date.now() < end; ) {
        const rows = await readOwnWrites(db, table, from, READ_AT_ONCE)
        const changes = netOfRows(rows, program.surroundings.schema)
        for (let i = 0; i < changes.length && Date.now() < end; i += AT_ONCE) {
          options.signal?.throwIfAborted()
          const some = changes.slice(i, i + AT_ONCE)
          tally.add(await decide(db, { ...program, byTable: withoutTrials(program) }, some, { apart: null, slow: new SlowOnes() }))
          looked += table === bulk.table ? some.length : 0
        }
        if (rows.length < READ_AT_ONCE) break
        from = must(rows.at(-1)).id
      }
    }
    const { created, changed, deleted } = written
    return {
      ...written,
      ...(file ? { file } : {}),
      changes: created + changed + deleted,
      looked: program.byTable.has(bulk.table) ? looked : created + changed + deleted,
      ...(await tally.told(db)),
    }
  })
}

const withoutTrials = ({ byTable }: Program): Program['byTable'] => new Map([...byTable].map(([table, live]) => [table, live.filter((l) => !l.trial)]))

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
  async told(db: Queryable): Promise<Pick<Forecast, 'workflows' | 'messages' | 'addresses' | 'recipients'>> {
    const recipients = new Map<string, number>()
    const workflows: ForecastWorkflow[] = []
    for (const [live, { plans, failing, waits }] of this.byWorkflow) {
      const { workflow, surroundings } = must(live.compiled)
      const through = await gateDry(db, plans, { ...workflow, name: live.name }, surroundings.organisation)
      workflows.push({ name: live.name, firings: plans.length, failing, waits, messages: mailsOf(through, recipients) })
    }
    const sorted = [...recipients].map(([address, messages]) => ({ address, messages })).sort((a, b) => b.messages - a.messages || a.address.localeCompare(b.address))
    return {
      workflows: workflows.sort((a, b) => b.messages - a.messages || b.firings - a.firings || a.name.localeCompare(b.name)),
      messages: workflows.reduce((sum, w) => sum + w.messages, 0),
      addresses: sorted.length,
      recipients: sorted.slice(0, MOST_RECIPIENTS),
    }
  }
}

/** How many mails plans send, and how many each address gets: what a cap holds is none, what is gathered is one for each recipient and digest. */
function mailsOf(plans: readonly Plan[], recipients: Map<string, number>): number {
  const digests = new Set<string>()
  let count = 0
  const got = (address: string) => recipients.set(address, (recipients.get(address) ?? 0) + 1)
  for (const { held, to, cc, bcc } of plans.flatMap((p) => p.messages)) {
    if (held?.reason === 'cap') continue
    if (held?.reason !== 'digest') count++
    for (const { address } of [...to, ...cc, ...bcc]) {
      const key = address.toLowerCase()
      if (held?.reason !== 'digest') got(key)
      else if (!digests.has(`${held.until?.getTime()} ${key}`)) {
        digests.add(`${held.until?.getTime()} ${key}`)
        count++
        got(key)
      }
    }
  }
  return count
}
