import type { Change } from '../changes/change'
import type { Limits } from '../document/document'
import { dayOf } from '../values/dates'
import type { Organisation } from '../values/tables'
import type { Held, Plan } from '../workflow/plan'
import { gate, gatedPlan, type Passing } from './gate'
import { NOTHING_SAID, type Said } from './own-say'
import { LIMIT_PARTS, type LimitPart } from './words'

/** A firing of the past with what would come of it. */
interface Fired {
  readonly change: Change
  readonly plan: Plan
}

/** What a limit held back, with some examples. */
interface Tallied {
  held: number
  of: number
  readonly examples: { readonly change: Change; readonly message: string }[]
}

const KEPT_EXAMPLES = 8

/** The limit that a note speaks of. */
const PART_OF: Readonly<Record<string, LimitPart>> = {
  stopped: 'mayStop',
  spaced: 'spacing',
  gathered: 'digest',
  'gathered for': 'mayGather',
  quiet: 'quietHours',
  capped: 'perDay',
}

/** Whether a note of a plan says that a limit left something out or holds it. */
export const isOfLimits = ({ code }: { readonly code: string }): boolean => Object.hasOwn(PART_OF, code)

/** Why messages are held, by the limit that holds them. */
const HOLDS: Partial<Record<LimitPart, Held['reason']>> = { digest: 'digest', mayGather: 'digest', quietHours: 'quiet', perDay: 'cap' }

/** Simulates a workflow's limits on the recorded clock: firings are added in any order and let through in the order of their moments. */
export class Limiting implements Passing {
  private readonly fired: Fired[] = []
  private readonly passed = new Map<string, { at: Date; run: string }>()
  private readonly days = new Map<string, number>()
  private readonly tallies = new Map<LimitPart, Tallied>()

  constructor(
    private readonly limits: Limits,
    private readonly organisation: Organisation,
    readonly said: Said = NOTHING_SAID,
  ) {}

  /** How many firings are not let through yet. */
  get waiting(): number {
    return this.fired.length
  }

  add(change: Change, plan: Plan): void {
    this.fired.push({ change, plan })
  }

  last(key: string): { at: Date; run: string } | null {
    return this.passed.get(key) ?? null
  }

  passedOn(at: Date): number {
    return this.days.get(dayOf(at, this.organisation.zone)) ?? 0
  }

  /** What limits make of all firings, newest first. */
  through(): Fired[] {
    const inOrder = [...this.fired].sort((a, b) => a.change.at.getTime() - b.change.at.getTime() || a.change.id - b.change.id)
    return inOrder.map(({ change, plan }, i) => ({ change, plan: this.let(change, plan, String(i)) })).reverse()
  }

  private let(change: Change, plan: Plan, run: string): Plan {
    const { at, record } = change
    const gated = gate(plan, this.limits, { at, record, group: record }, run, this, this.organisation)
    for (const key of gated.keys) this.passed.set(key, { at, run })
    if (this.limits.perDay !== undefined) this.days.set(dayOf(at, this.organisation.zone), this.passedOn(at) + gated.counted)
    this.tally(change, plan, gated)
    return gatedPlan(plan, gated)
  }

  private tally(change: Change, plan: Plan, { messages, notes, leftOut, stopped }: ReturnType<typeof gate>): void {
    for (const part of LIMIT_PARTS) {
      if (!this.limits[part]) continue
      const own = this.tallies.get(part) ?? { held: 0, of: 0, examples: [] }
      this.tallies.set(part, own)
      const holds = HOLDS[part]
      own.of += holds ? messages.length : plan.messages.length
      own.held += holds ? messages.filter((m) => m.held?.reason === holds).length : part === 'spacing' ? leftOut : stopped
      const note = notes.find((n) => PART_OF[n.code] === part)
      if (note && own.examples.length < KEPT_EXAMPLES) own.examples.push({ change, message: note.message })
    }
  }

  /** What each limit held back, in the order in which they work. */
  heldBack(): ({ readonly path: string } & Readonly<Tallied>)[] {
    return LIMIT_PARTS.flatMap((part) => {
      const own = this.tallies.get(part)
      return own ? [{ path: `/limits/${part}`, ...own }] : []
    })
  }
}

/** The simulation of a workflow's limits, and of what recipients asked for; null where there is neither. */
export const limitingOf = ({ limits }: { readonly limits?: Limits }, organisation: Organisation, said?: Said): Limiting | null =>
  said || (limits && Object.keys(limits).length > 0) ? new Limiting(limits ?? {}, organisation, said) : null
