import { randomUUID } from 'node:crypto'
import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import { fallsInto } from '@/core/changes/snapshot'
import { titleOf } from '@/core/values/tables'
import { evaluateOrNeed, type Plan, type PlannedMessage } from '@/core/workflow/evaluate'
import { claimChanges, takeShard } from '@/store/changes'
import { inSavepoint, type Queryable, transaction } from '@/store/database'
import { type NewMessage, queueMessages } from '@/store/messages'
import { insertRuns, type NewRun, type Trace } from '@/store/runs'
import { readGeneration } from '@/store/workflows'
import type { Clock } from './clock'
import { type LiveWorkflow, loadProgram, type Program } from './program'
import { type Settled, settle, type Trial } from './settle'

/** Log rows taken at once: enough to spread the cost of a transaction, few enough to keep the others waiting only briefly. */
export const BATCH = 500

/** Holds the compiled program and compiles anew when the generation moved on. */
export class Dispatcher {
  private program: Program | null = null

  constructor(
    private readonly pool: Pool,
    private readonly baseUrl: string,
    private readonly clock: Clock,
  ) {}

  /**
   * Handles one batch of a shard's changes in one transaction: claim, decide, write runs, traces and messages.
   * Answers how many changes were handled; null where another worker has the shard.
   */
  async handleShard(shard: number): Promise<{ changes: number; runs: number } | null> {
    return transaction(this.pool, async (db) => {
      if (!(await takeShard(db, shard))) return null
      const program = await this.current(db)
      const changes = await claimChanges(db, shard, BATCH, program.surroundings.schema)
      const firings = await this.decide(db, program, changes)
      await persist(db, firings, this.clock)
      return { changes: changes.length, runs: firings.length }
    })
  }

  private async current(db: Queryable): Promise<Program> {
    if (this.program?.generation !== (await readGeneration(db))) this.program = await loadProgram(db, this.baseUrl)
    return this.program as Program
  }

  private async decide(db: Queryable, program: Program, changes: readonly Change[]): Promise<Firing[]> {
    const trials: (Trial & { live: LiveWorkflow })[] = []
    const firings: Firing[] = []
    for (const change of changes) {
      for (const live of program.byTable.get(change.table) ?? []) {
        if (live.compiled) {
          if (mayFire(live, change) && fallsInto(change.transaction, live.from, live.to)) trials.push({ live, compiled: live.compiled, change })
        } else if (fallsInto(change.transaction, live.from, live.to)) {
          firings.push({ live, change, title: `${change.table} ${change.record}`, settled: { fault: live.fault as string } })
        }
      }
    }
    const settled = await settle(db, trials, false)
    trials.forEach(({ live, change, compiled }, i) => {
      const outcome = settled[i] as Settled
      if ('fault' in outcome || outcome.plan.fires) firings.push({ live, change, title: titleOf(compiled.table, change.after ?? change.before ?? {}), settled: outcome })
    })
    return firings
  }
}

const NOTHING: ReadonlyMap<string, unknown> = new Map()

/** Whether a change may fire a workflow, judged without any data but the change's own; most do not, and cost no more than this. */
function mayFire(live: LiveWorkflow, change: Change): boolean {
  try {
    const outcome = evaluateOrNeed(live.compiled as NonNullable<typeof live.compiled>, change, NOTHING, false)
    return 'needs' in outcome || outcome.plan.fires
  } catch {
    return true // the trial proper reports what is wrong
  }
}

interface Firing {
  readonly live: LiveWorkflow
  readonly change: Change
  readonly title: string
  readonly settled: Settled
}

const EMPTY_PLAN: Plan = { fires: false, why: '', clauses: [], messages: [], notes: [] }

/** Writes firings; where one of them cannot be written, the others are, and that one becomes a failed run. */
async function persist(db: Queryable, firings: readonly Firing[], clock: Clock): Promise<void> {
  if (firings.length === 0) return
  try {
    await inSavepoint(db, () => write(db, firings, clock))
  } catch (error) {
    if (!isFaultOfData(error)) throw error
    const [only, ...others] = firings as [Firing, ...Firing[]]
    if (others.length === 0) await write(db, [{ ...only, settled: { fault: (error as Error).message } }], clock)
    else for (const firing of firings) await persist(db, [firing], clock)
  }
}

/** SQLSTATE classes 22 (data exception) and 23 (integrity constraint violation): trying again would not help. */
function isFaultOfData(error: unknown): boolean {
  const code = (error as { code?: unknown }).code
  return typeof code === 'string' && /^2[23]/.test(code)
}

async function write(db: Queryable, firings: readonly Firing[], clock: Clock): Promise<void> {
  const now = clock()
  const ids = await insertRuns(
    db,
    firings.map((f) => runOf(f, now)),
  )
  const messages = firings.flatMap((f) => {
    const run = ids.get(`${f.live.workflow} ${f.change.id}`)
    if (run === undefined || !('plan' in f.settled)) return []
    return f.settled.plan.messages.map((m) => messageOf(m, run, f, now))
  })
  await queueMessages(db, messages)
}

function runOf({ live, change, title, settled }: Firing, now: Date): NewRun {
  const plan = 'plan' in settled ? settled.plan : EMPTY_PLAN
  const fault = 'fault' in settled ? settled.fault : null
  return {
    workflow: live.workflow,
    version: live.version,
    change_id: change.id,
    tbl: change.table,
    rec: change.record,
    title,
    state: fault === null ? 'done' : 'failed',
    why: fault === null ? plan.why : 'The run failed and did nothing.',
    error: fault,
    trace: traceOf(change, plan),
    depth: change.depth,
    changed_at: change.at,
    at: now,
  }
}

function traceOf(change: Change, plan: Plan): Trace {
  const { id, kind, by, changed, before, after } = change
  const addresses = (list: PlannedMessage['to']) => list.map((m) => m.address)
  return {
    change: { id, kind, at: change.at.toISOString(), by, changed, before, after },
    clauses: plan.clauses,
    messages: plan.messages.map((m) => ({ action: m.action, path: m.path, subject: m.subject, to: addresses(m.to), cc: addresses(m.cc), bcc: addresses(m.bcc) })),
    notes: plan.notes,
  }
}

function messageOf(planned: PlannedMessage, run: number, { live, change }: Firing, now: Date): NewMessage {
  const domain = planned.from.address.slice(planned.from.address.lastIndexOf('@') + 1)
  const part = (name: 'to' | 'cc' | 'bcc') => planned[name].map((m) => ({ ...m, part: name }))
  return {
    run,
    workflow: live.workflow,
    action: planned.action,
    tbl: change.table,
    rec: change.record,
    message_id: `<${randomUUID()}@${domain}>`,
    sender: planned.from,
    reply_to: planned.replyTo,
    subject: planned.subject,
    html: planned.html,
    body: planned.text,
    priority: planned.priority,
    changed_at: change.at,
    created_at: now,
    recipients: [...part('to'), ...part('cc'), ...part('bcc')],
  }
}
