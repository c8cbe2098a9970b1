import type { Change } from '../changes/change'
import { MOST_ROWS } from '../limits/digest-mail'
import type { Limiting } from '../limits/limiting'
import { gatheredBy } from '../limits/mail-count'
import { compareIds } from '../values/compare'
import { type RecordId, type TableDef, titleOf } from '../values/tables'
import { type Column, everybody, type Plan, type PlannedMessage } from '../workflow/plan'

/** A past change, as one is pointed at. */
export interface PastChange {
  readonly id: number
  readonly record: RecordId
  readonly title: string
  readonly kind: Change['kind']
  readonly at: Date
}

/** What a draft would have done over a span of history. */
export interface RehearsalTally {
  readonly firings: number
  readonly messages: number
  readonly notices: number
  /** Days of the organisation's zone, ISO 8601, in order. */
  readonly byDay: readonly { readonly day: string; readonly firings: number; readonly messages: number }[]
  /** Addresses, those with most mail first. */
  /** With the most that came on one day, and some of the changes of that day. */
  readonly byRecipient: readonly { readonly address: string; readonly messages: number; readonly mostADay: number; readonly changes: readonly PastChange[] }[]
  /** Firings of which a line that sends found nobody to send to, with the reasons. */
  readonly nobody: { readonly count: number; readonly reasons: readonly { readonly message: string; readonly count: number }[]; readonly examples: readonly PastChange[] }
  /** How often each action found nobody, by JSON Pointer. */
  readonly nobodyAt: Readonly<Record<string, number>>
  /** Records that it fired for more than once, those with most firings first. */
  readonly repeats: readonly { readonly record: RecordId; readonly title: string; readonly firings: number; readonly changes: readonly PastChange[] }[]
  /** Firings that would have failed, by reason. */
  readonly failed: readonly { readonly message: string; readonly count: number; readonly example: PastChange }[]
  /** For how many firings each action did something, by JSON Pointer. */
  readonly byAction: Readonly<Record<string, number>>
  /** Whom each action that sends would have reached, and whom not, by JSON Pointer. */
  readonly reach: Readonly<Record<string, Reach>>
  readonly samples: readonly { readonly change: PastChange; readonly messages: readonly PlannedMessage[] }[]
  /** What each limit would have held back, where the workflow has any; the counts of mail are after them. */
  readonly limits: readonly HeldBack[]
  /** The digest that would have gathered most, the newest of several; null where none would have gathered two. */
  readonly digest: PastDigest | null
}

/** A digest of the past: for whom and when, how many it would have gathered, and the first of them. */
export interface PastDigest {
  readonly address: string
  readonly until: Date
  readonly count: number
  readonly entries: readonly { readonly change: PastChange; readonly columns: readonly Column[] }[]
}

/** Whom an action that sends would have reached: how many addresses, those with most mail first, and why it found nobody or left somebody out. */
export interface Reach {
  readonly addresses: number
  readonly reached: readonly { readonly address: string; readonly messages: number }[]
  readonly missed: readonly { readonly message: string; readonly count: number }[]
}

/** What one limit would have held back: how many mails it left out or held, how many came to it, and some of the changes. */
export interface HeldBack {
  /** JSON Pointer. */
  readonly path: string
  readonly held: number
  readonly of: number
  /** How many mails go on from it; what is gathered goes on as digests. */
  readonly through: number
  readonly examples: readonly { readonly change: PastChange; readonly message: string }[]
}

const KEPT_EXAMPLES = 5
/** Most addresses, and most reasons, that are told of one action. */
const MOST_REACHED = 12

/** Days begin on quarters of an hour in every zone (IANA time zone database; offsets before 1972 aside). */
const QUARTER_MS = 900_000

/** The change as one is pointed at. */
export function pointedAt(change: Change, table: TableDef): PastChange {
  return { id: change.id, record: change.record, title: titleOf(table, change.after ?? change.before ?? {}), kind: change.kind, at: change.at }
}

/** Adds up what a draft does about past changes, given newest first; keeps counts and a few examples, never all of them. */
export class Rehearsing {
  private firings = 0
  private messages = 0
  private notices = 0
  private nobodyCount = 0
  private readonly days = new Map<string, { firings: number; messages: number }>()
  private readonly recipients = new Map<string, { messages: number; days: Map<string, { messages: number; changes: PastChange[] }> }>()
  private readonly reasons = new Map<string, number>()
  private readonly emptyAt = new Map<string, number>()
  private readonly nobodyExamples: PastChange[] = []
  private readonly records = new Map<RecordId, { title: string; firings: number; changes: PastChange[] }>()
  private readonly failures = new Map<string, { count: number; example: PastChange }>()
  private readonly actions = new Map<string, number>()
  private readonly reached = new Map<string, Map<string, number>>()
  private readonly missed = new Map<string, Map<string, number>>()
  private readonly samples: { change: PastChange; messages: readonly PlannedMessage[] }[] = []
  private readonly digests = new Map<string, { address: string; until: Date; count: number }>()
  private readonly dayOf: (at: Date) => string

  constructor(
    private readonly table: TableDef,
    zone: string,
    private readonly keep: number,
    /** The workflow's limits, which are simulated on the recorded clock. */
    private readonly limiting: Limiting | null = null,
  ) {
    const format = new Intl.DateTimeFormat('sv-SE', { timeZone: zone, dateStyle: 'short' })
    const days = new Map<number, string>()
    this.dayOf = (at) => {
      const quarter = Math.floor(at.getTime() / QUARTER_MS)
      const day = days.get(quarter) ?? format.format(at)
      days.set(quarter, day)
      return day
    }
  }

  /** Whether samples of mail are still wanted, with their texts. */
  wantsSamples(): boolean {
    return this.samples.length + (this.limiting?.waiting ?? 0) < this.keep
  }

  /** Adds a change that fires, with its plan. */
  add(change: Change, plan: Plan): void {
    if (this.limiting) this.limiting.add(change, plan)
    else this.count(change, plan)
  }

  private count(change: Change, plan: Plan): void {
    const day = this.dayOf(change.at)
    this.firings++
    const sent = plan.messages.filter((m) => m.held === undefined || m.held.reason === 'quiet')
    this.addMail(day, sent.length, 1)
    this.notices += plan.notices.length
    for (const message of sent) for (const { address } of everybody(message)) this.addRecipient(address.toLowerCase(), day, change)
    this.addDigests(change, plan)
    this.addNobody(change, plan)
    this.addReach(plan)
    const seen = this.records.get(change.record)
    if (!seen) this.records.set(change.record, { title: pointedAt(change, this.table).title, firings: 1, changes: [pointedAt(change, this.table)] })
    else {
      seen.firings++
      if (seen.changes.length < KEPT_EXAMPLES) seen.changes.push(pointedAt(change, this.table))
    }
    for (const path of new Set([...plan.messages, ...plan.writes, ...plan.notices].flatMap((done) => ancestors(done.path))))
      this.actions.set(path, (this.actions.get(path) ?? 0) + 1)
    if (this.wantsSamples() && plan.messages.length > 0) this.samples.push({ change: pointedAt(change, this.table), messages: plan.messages })
  }

  private addMail(day: string, messages: number, firings: number): void {
    this.messages += messages
    const ofDay = this.days.get(day) ?? { firings: 0, messages: 0 }
    this.days.set(day, { firings: ofDay.firings + firings, messages: ofDay.messages + messages })
  }

  /** Mail that is gathered counts once for each recipient and moment, on the day of that. */
  private addDigests(change: Change, plan: Plan): void {
    for (const { key, until, address } of gatheredBy(plan)) {
      const known = this.digests.get(key)
      if (known) known.count++
      else {
        this.digests.set(key, { address, until, count: 1 })
        this.addMail(this.dayOf(until), 1, 0)
        this.addRecipient(address, this.dayOf(until), change)
      }
    }
  }

  /** Adds a change for which the run would have failed. */
  addFailure(change: Change, message: string): void {
    const seen = this.failures.get(message)
    this.failures.set(message, { count: (seen?.count ?? 0) + 1, example: seen?.example ?? pointedAt(change, this.table) })
  }

  /** What it came to. */
  result(): RehearsalTally {
    const through = this.limiting?.through() ?? []
    for (const { change, plan } of through) this.count(change, plan)
    const { firings, messages, notices, samples } = this
    return {
      firings,
      messages,
      notices,
      byDay: [...this.days].map(([day, counts]) => ({ day, ...counts })).sort((a, b) => a.day.localeCompare(b.day)),
      byRecipient: [...this.recipients]
        .map(([address, r]) => {
          const most = [...r.days.values()].reduce((a, b) => (b.messages > a.messages ? b : a))
          return { address, messages: r.messages, mostADay: most.messages, changes: most.changes }
        })
        .sort((a, b) => b.messages - a.messages || a.address.localeCompare(b.address)),
      nobody: { count: this.nobodyCount, reasons: counted(this.reasons), examples: this.nobodyExamples },
      nobodyAt: Object.fromEntries(this.emptyAt),
      repeats: [...this.records]
        .filter(([, r]) => r.firings > 1)
        .map(([record, r]) => ({ record, ...r }))
        .sort((a, b) => b.firings - a.firings || compareIds(a.record, b.record)),
      failed: [...this.failures].map(([message, f]) => ({ message, ...f })).sort((a, b) => b.count - a.count),
      byAction: Object.fromEntries(this.actions),
      reach: this.reach(),
      samples,
      limits: (this.limiting?.heldBack() ?? []).map(({ path, held, of, examples }) => ({
        path,
        held,
        of,
        through: of - (path === '/limits/quietHours' ? 0 : held) + (path === '/limits/digest' ? this.digests.size : 0),
        examples: examples.map(({ change, message }) => ({ change: pointedAt(change, this.table), message })),
      })),
      digest: this.fullest(through),
    }
  }

  /** The digest that gathered most, with its first entries; null where each gathered one alone. */
  private fullest(through: readonly { readonly change: Change; readonly plan: Plan }[]): PastDigest | null {
    let best: { key: string; address: string; until: Date; count: number } | null = null
    for (const [key, digest] of this.digests)
      if (digest.count > 1 && (!best || digest.count > best.count || (digest.count === best.count && digest.until > best.until))) best = { key, ...digest }
    if (!best) return null
    const { key, ...digest } = best
    const entries = through.filter(({ plan }) => gatheredBy(plan).some((g) => g.key === key)).reverse()
    return { ...digest, entries: entries.slice(0, MOST_ROWS).map(({ change, plan }) => ({ change: pointedAt(change, this.table), columns: plan.columns ?? [] })) }
  }

  private addRecipient(address: string, day: string, change: Change): void {
    const seen = this.recipients.get(address) ?? { messages: 0, days: new Map() }
    const ofDay = seen.days.get(day) ?? { messages: 0, changes: [] }
    seen.messages++
    ofDay.messages++
    if (ofDay.changes.length < KEPT_EXAMPLES) ofDay.changes.push(pointedAt(change, this.table))
    seen.days.set(day, ofDay)
    this.recipients.set(address, seen)
  }

  /** Adds whom each line that sends wrote to, and what it says of whom it left out. */
  private addReach(plan: Plan): void {
    const add = (counts: Map<string, Map<string, number>>, path: string, what: string) => {
      const of = counts.get(path) ?? new Map<string, number>()
      of.set(what, (of.get(what) ?? 0) + 1)
      counts.set(path, of)
    }
    for (const { path, to, cc, bcc } of plan.messages) for (const { address } of [...to, ...cc, ...bcc]) add(this.reached, path, address.toLowerCase())
    for (const { path, message } of plan.notes) {
      const action = ancestors(path)
        .filter((at) => /\/\d+$/.test(at))
        .at(-1)
      if (action) add(this.missed, action, message)
    }
  }

  private reach(): Record<string, Reach> {
    return Object.fromEntries(
      [...new Set([...this.reached.keys(), ...this.missed.keys()])].map((path) => {
        const reached = [...(this.reached.get(path) ?? [])].map(([address, messages]) => ({ address, messages }))
        return [
          path,
          {
            addresses: reached.length,
            reached: reached.sort((a, b) => b.messages - a.messages || a.address.localeCompare(b.address)).slice(0, MOST_REACHED),
            missed: counted(this.missed.get(path) ?? new Map()).slice(0, MOST_REACHED),
          },
        ]
      }),
    )
  }

  private addNobody(change: Change, plan: Plan): void {
    const empty = plan.notes.filter((n) => n.code === 'nobody')
    if (empty.length === 0) return
    this.nobodyCount++
    for (const path of new Set(empty.map((n) => n.path))) this.emptyAt.set(path, (this.emptyAt.get(path) ?? 0) + 1)
    if (this.nobodyExamples.length < KEPT_EXAMPLES) this.nobodyExamples.push(pointedAt(change, this.table))
    const causes = plan.notes.filter((n) => n.code !== 'nobody' && empty.some((e) => n.path.startsWith(`${e.path}/`)))
    for (const message of new Set((causes.length ? causes : empty).map((n) => n.message))) this.reasons.set(message, (this.reasons.get(message) ?? 0) + 1)
  }
}

/** An action's own pointer and those of the lines it stands under. */
function ancestors(path: string): string[] {
  const parts = path.split('/')
  return parts.flatMap((_, i) => {
    const at = parts.slice(0, i + 1).join('/')
    return /\/(actions|branches)\/\d+$|\/otherwise(\/\d+)?$/.test(at) ? [at] : []
  })
}

function counted(counts: ReadonlyMap<string, number>): { message: string; count: number }[] {
  return [...counts].map(([message, count]) => ({ message, count })).sort((a, b) => b.count - a.count || a.message.localeCompare(b.message))
}
