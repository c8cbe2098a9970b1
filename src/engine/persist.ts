import type { Change } from '@/core/changes/change'
import type { Occasion } from '@/core/cues/occasion'
import { areCapped, type Caps } from '@/core/limits/caps'
import { signFileLinks } from '@/core/message/file-links'
import { signWhyFooter } from '@/core/message/footer'
import { faultOf, must } from '@/core/must'
import type { Note } from '@/core/recipients/recipients'
import { nothing, type Plan, type PlannedMessage, type Write } from '@/core/workflow/plan'
import { newMessageId } from '@/engine/delivery/message-id'
import { noteSpan } from '@/engine/trace'
import { inSavepoint, limitLockWaits, type Queryable, waitOnlyAtFirst } from '@/store/database'
import { type NewMessage, queueMessages } from '@/store/mail/queue'
import { queueNotices } from '@/store/notices'
import { explained, isFaultOfData, mayPass } from '@/store/problems'
import { createRecord, updateRecord } from '@/store/records'
import { addNotes, type ChainLink, insertRuns, type NewRun, type RunOutcome, runKey, type Trace } from '@/store/runs'
import { actAs } from '@/store/who'
import type { Clock } from './clock'
import { fileKey } from './file-key'
import { capAll, gateAll, Overtaken } from './limits/gate'
import { rowOf } from './limits/row'
import { keptOf } from './occasions/kept'
import type { LiveWorkflow } from './program'
import type { Settled } from './settle'
import { stopLink, whyKey } from './why-key'

/** A workflow that fires on an occasion, with what came of its evaluation. */
export interface Firing {
  readonly live: Pick<LiveWorkflow, 'workflow' | 'name' | 'version' | 'trial'> & Partial<Pick<LiveWorkflow, 'stays' | 'compiled'>>
  readonly occasion: Occasion
  readonly title: string
  readonly settled: Settled
  /** The runs behind it and itself. */
  readonly chain: readonly ChainLink[]
  readonly outcome?: 'stopped'
  /** Whether it is handled late on purpose. */
  readonly late?: boolean
}

/** What mail is posted with: the time, and the links in it. */
export interface Post {
  readonly clock: Clock
  readonly baseUrl: string
  /** What links to "why you got this" are signed with. */
  readonly whySecret: string
  /** The most that goes over all workflows; none where it is absent. */
  readonly caps?: Caps
  /** The workflows of which recipients asked for something themselves. */
  readonly withSay?: ReadonlySet<number>
}

const FIRST_WAIT_MS = 2_000
/** How often a run is tried before it is given up. */
export const MOST_ATTEMPTS = 8

/** When a run that failed for the n-th time for a reason that may pass is tried again; null when it is given up. */
export function nextTry(attempt: number, now: Date): Date | null {
  return attempt >= MOST_ATTEMPTS ? null : new Date(now.getTime() + FIRST_WAIT_MS * 2 ** (attempt - 1))
}

/** Writes firings: those that only send in one go, those that write records one by one, each in a savepoint of its own. */
export async function persist(db: Queryable, firings: readonly Firing[], post: Post): Promise<void> {
  const writes = (f: Firing) => 'plan' in f.settled && f.settled.plan.writes.length > 0
  const isLeft = (f: Firing) => 'fault' in f.settled && (f.settled.takesLong ?? f.settled.isHeld ?? false) && f.outcome === undefined
  await persistTogether(
    db,
    firings.filter((f) => !writes(f) && !isLeft(f)),
    post,
  )
  for (const firing of firings.filter(writes)) await persistAlone(db, firing, post)
  await leaveForLater(db, firings.filter(isLeft), post)
}

/** How soon, and how late, it is looked whether a table is let go that its owner holds. */
const HELD_UP_MS = 5_000
const LONG_HELD_UP_MS = 60_000

/** When a run that waits since then for a table that its owner holds is looked at again: the longer it waits the more seldom, for there may be many. */
export const heldUpUntil = (since: Date, now: Date): Date => new Date(now.getTime() + Math.min(LONG_HELD_UP_MS, Math.max(HELD_UP_MS, (now.getTime() - since.getTime()) / 4)))

/** Runs that take long wait until they are worked out apart, and those that a held table is in the way of until it is let go; whether they fire is not known yet. */
async function leaveForLater(db: Queryable, firings: readonly Firing[], post: Post): Promise<void> {
  const now = post.clock()
  const waiting = (f: Firing) =>
    'fault' in f.settled && f.settled.isHeld ? { error: f.settled.fault, next_at: heldUpUntil(now, now) } : { error: 'It takes long to work out and is done apart.', next_at: now }
  await insertRuns(
    db,
    firings.map((f) => ({ ...runOf(f, now), state: 'waiting' as const, ...waiting(f), undecided: true })),
  )
}

async function persistTogether(db: Queryable, firings: readonly Firing[], post: Post): Promise<void> {
  const [only, ...others] = firings
  if (!only) return
  try {
    await writeWithin(db, firings, post)
  } catch (error) {
    if (!isFaultOfData(error)) throw error
    if (others.length === 0) await write(db, [failed(only, faultOf(error))], post)
    else for (const firing of firings) await persistTogether(db, [firing], post)
  }
}

/** One run with its effects, all or nothing: what may pass makes it wait, anything else fails it in words; the others go on. */
async function persistAlone(db: Queryable, firing: Firing, post: Post): Promise<void> {
  try {
    await writeWithin(db, [firing], post)
  } catch (error) {
    if (mayPass(error)) await write(db, [firing], post, { waiting: { state: 'waiting', error: faultOf(error), next_at: nextTry(1, post.clock()) } })
    else if (isFaultOfData(error)) await write(db, [failed(firing, faultOf(explained(error)))], post)
    else throw error
  }
}

function failed(firing: Firing, fault: string): Firing {
  return { ...firing, settled: { fault } }
}

interface Waiting {
  readonly state: 'waiting'
  readonly error: string
  readonly next_at: Date | null
}

/** Writes firings in a savepoint; where a day comes to its most meanwhile, once more with its count taken. */
async function writeWithin(db: Queryable, firings: readonly Firing[], post: Post): Promise<void> {
  try {
    await inSavepoint(db, () => write(db, firings, post, { boldly: true }))
  } catch (error) {
    if (!(error instanceof Overtaken)) throw error
    await inSavepoint(db, () => write(db, firings, post))
  }
}

async function write(
  db: Queryable,
  given: readonly Firing[],
  post: Post,
  { waiting, boldly = false }: { readonly waiting?: Waiting; readonly boldly?: boolean } = {},
): Promise<void> {
  const now = post.clock()
  const { firings, note } = waiting ? { firings: given, note: undefined } : await throughLimits(db, given, now, post, boldly)
  const ids = await insertRuns(
    db,
    firings.map((f) => ({ ...runOf(f, now), ...waiting })),
  )
  if (waiting) return
  const plans = firings.flatMap((f) => {
    const run = ids.get(runKey({ workflow: f.live.workflow, key: f.occasion.key, trial: f.live.trial?.id ?? null }))
    return run !== undefined && 'plan' in f.settled && f.outcome === undefined ? [{ run, firing: f, plan: f.settled.plan }] : []
  })
  for (const { run, firing, plan } of plans) await writeRecords(db, run, firing, plan.writes)
  await sendPlans(db, plans, now, post)
  await note?.()
}

const NO_CAPS: Caps = { day: null, hour: null }

/** Firings with what limits let through of their plans; a trial has none, for all its mail goes to whoever tries. */
async function throughLimits(
  db: Queryable,
  firings: readonly Firing[],
  now: Date,
  { caps = NO_CAPS, withSay }: Post,
  boldly: boolean,
): Promise<{ firings: readonly Firing[]; note?: () => Promise<void> }> {
  const hasSay = ({ live }: Firing) => withSay?.has(live.workflow) ?? false
  const acting = firings.filter((f) => 'plan' in f.settled && f.outcome === undefined && !f.live.trial && (areCapped(caps) || f.live.compiled?.workflow.limits || hasSay(f)))
  if (acting.length === 0) return { firings }
  const gated = await gateAll(
    db,
    acting.flatMap((firing) => {
      const { live, occasion, settled } = firing
      const { workflow, surroundings } = live.compiled ?? {}
      return 'plan' in settled
        ? [{ workflow: live.workflow, limits: workflow?.limits, organisation: surroundings?.organisation, occasion, plan: settled.plan, hasSay: hasSay(firing) }]
        : []
    }),
    now,
    boldly,
  )
  const through = await capAll(db, gated.plans, caps, acting[0]?.live.compiled?.surroundings.organisation.zone ?? 'UTC', now)
  const plans = new Map(acting.map((f, i) => [f, through[i]]))
  const note = () => gated.note(db)
  return {
    note,
    firings: firings.map((f) => {
      const plan = plans.get(f)
      return plan ? { ...f, settled: { plan } } : f
    }),
  }
}

/** Queues the messages and notices of runs. */
async function sendPlans(db: Queryable, plans: readonly { run: number; firing: Firing; plan: Plan }[], now: Date, post: Post): Promise<void> {
  await queueMessages(
    db,
    plans.flatMap(({ run, firing, plan }) => plan.messages.map((m) => messageOf(m, run, firing, plan, now, post))),
  )
  await queueNotices(
    db,
    plans.flatMap(({ run, firing, plan }) =>
      plan.notices.map(({ channel, people, title, text, held }) => ({
        run,
        workflow: firing.live.workflow,
        channel,
        people,
        title,
        body: text,
        tbl: firing.occasion.record === null ? null : firing.occasion.table,
        rec: firing.occasion.record,
        held_until: held?.until ?? null,
        created_at: now,
      })),
    ),
  )
}

/** Makes a run's writes in its name, one deeper than the occasion that caused it. @throws Error of the database */
async function writeRecords(db: Queryable, run: number, { live, occasion }: Firing, writes: readonly Write[]): Promise<void> {
  if (writes.length === 0) return
  await actAs(db, { by: { kind: 'system', person: null, name: live.name }, run, depth: occasion.depth + 1 })
  const gone: Note[] = []
  for (const w of writes) {
    await waitOnlyAtFirst(db)
    if (w.do === 'create') await createRecord(db, { name: w.table }, w.image)
    else if (!(await updateRecord(db, { name: w.table }, w.id, w.set)))
      gone.push({ code: 'record gone', path: w.path, message: `The record ${w.table} ${w.id} was deleted meanwhile; nothing was written to it.` })
  }
  await limitLockWaits(db)
  if (gone.length) await addNotes(db, run, gone)
}

/** Does a waiting run's effects under the id it has; answers the plan as limits let it through. @throws Error of the database */
export async function performRun(db: Queryable, run: number, firing: Firing, plan: Plan, post: Post): Promise<Plan> {
  const now = post.clock()
  const { firings, note } = await throughLimits(db, [{ ...firing, settled: { plan } }], now, post, false)
  const [limited] = firings
  const through = limited && 'plan' in limited.settled ? limited.settled.plan : plan
  await writeRecords(db, run, firing, through.writes)
  await sendPlans(db, [{ run, firing, plan: through }], now, post)
  await note?.()
  return through
}

/** A firing as a run is written. */
export function runOf({ live, occasion, title, settled, chain, outcome, late }: Firing, now: Date): NewRun {
  const plan = 'plan' in settled ? settled.plan : nothing('not looked at', '')
  const fault = 'fault' in settled ? settled.fault : null
  const state: RunOutcome = outcome ?? (fault === null ? 'done' : 'failed')
  return {
    workflow: live.workflow,
    version: live.version,
    trial: live.trial?.id ?? null,
    kind: occasion.kind,
    key: occasion.key,
    change_id: occasion.change?.id ?? null,
    occasion: keptOf(occasion),
    tbl: occasion.table,
    rec: occasion.record,
    title,
    state,
    why: state === 'done' ? plan.why : state === 'stopped' ? 'Stopped: loop.' : 'The run failed and did nothing.',
    error: fault,
    trace: traceOf(occasion, plan),
    chain,
    next_at: null,
    ...(late || (occasion.kind === 'tick' && occasion.late) ? { late: true } : {}),
    depth: occasion.depth,
    changed_at: occasion.at,
    at: now,
  }
}

/** What a run keeps of what it looked at and did. */
export function traceOf(occasion: Occasion, plan: Plan): Trace {
  const { change } = occasion
  const kept = keptOf(occasion)
  const addresses = (list: PlannedMessage['to']) => list.map((m) => m.address)
  return {
    ...(kept ? { occasion: { kind: occasion.kind, ...kept } } : {}),
    change: change && pick(change),
    clauses: plan.clauses,
    messages: plan.messages.map((m) => ({
      action: m.action,
      path: m.path,
      subject: m.subject,
      to: addresses(m.to),
      cc: addresses(m.cc),
      bcc: addresses(m.bcc),
      ...(m.held ? { held: { reason: m.held.reason, until: m.held.until?.toISOString() ?? null } } : {}),
    })),
    notes: plan.notes,
    writes: plan.writes,
    notices: plan.notices.map(({ path, channel, to, title, text }) => ({ path, channel, to, title, text })),
  }
}

/** What a trace keeps of a change. */
const pick = ({ id, kind, at, by, changed, before, after }: Change) => ({ id, kind, at: at.toISOString(), by, changed, before, after })

function messageOf(planned: PlannedMessage, run: number, firing: Firing, plan: Plan, now: Date, { baseUrl, whySecret }: Post): NewMessage {
  const { live, occasion } = firing
  const messageId = newMessageId(planned.from.address)
  const signed = signWhyFooter(planned, baseUrl, whyKey(messageId, whySecret))
  const { html, text } = signFileLinks(signed, baseUrl, planned.linked ?? [], (file) => fileKey(file, now, whySecret))
  const part = (name: 'to' | 'cc' | 'bcc') => planned[name].map((m) => ({ ...m, part: name }))
  const recipients = [...part('to'), ...part('cc'), ...part('bcc')]
  const mayStop = live.compiled?.workflow.limits?.mayStop && !live.trial
  return {
    run,
    workflow: live.workflow,
    action: planned.action,
    tbl: planned.about?.table ?? null,
    rec: planned.about?.id ?? null,
    message_id: messageId,
    sender: planned.from,
    reply_to: planned.replyTo,
    subject: planned.subject,
    html,
    body: text,
    priority: planned.priority,
    attachments: planned.attachments.length ? planned.attachments : null,
    changed_at: occasion.at,
    created_at: now,
    held_for: planned.held?.reason ?? null,
    held_until: planned.held?.until ?? null,
    digest_row: planned.held?.reason === 'digest' ? rowOf(firing, plan, baseUrl, whyKey(messageId, whySecret)) : null,
    trace: occasion.by.trace ? (noteSpan('decide', occasion.by.trace, { 'rappel.run': run, 'rappel.workflow': live.name }, now) ?? occasion.by.trace) : null,
    stop_link: mayStop && recipients.length === 1 ? stopLink(baseUrl, live.workflow, must(recipients[0]).address, whySecret) : null,
    recipients,
  }
}
