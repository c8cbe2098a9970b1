import type { Occasion } from '@/core/cues/occasion'
import type { Limits } from '@/core/document/document'
import { areCapped, type Caps, capped } from '@/core/limits/caps'
import { aboutOf, gate, gatedPlan, keysOf, type Passing } from '@/core/limits/gate'
import { NOTHING_SAID, type Said } from '@/core/limits/own-say'
import { dayOf, startOfDay } from '@/core/values/dates'
import type { Organisation } from '@/core/values/tables'
import type { Plan } from '@/core/workflow/plan'
import type { Queryable } from '@/store/database'
import { saidBy } from '@/store/limits/own-say'
import { notePassed, notePassedOn, type PassedRow, takePassed, takePassedOn } from '@/store/limits/passed'
import { notePassedIn, takePassedIn } from '@/store/limits/passed-in'

/** A plan that may be held back, of a workflow with limits or without. */
export interface Limited {
  readonly workflow: number
  readonly limits: Limits | undefined
  readonly organisation: Organisation | undefined
  readonly occasion: Occasion
  readonly plan: Plan
  /** Whether any of its recipients asked for anything. */
  readonly hasSay: boolean
}

/**
 * Lets plans through their workflows' limits, in order, as one transaction: what passed before is read and noted under locks, so that of several workers one lets the first through. `now` is when they are sent.
 */
export async function gateAll(db: Queryable, plans: readonly Limited[], now: Date): Promise<Plan[]> {
  const gates = new Map<number, LiveGate>()
  for (const workflow of [...new Set(plans.filter((p) => (p.limits || p.hasSay) && p.organisation).map((p) => p.workflow))].sort((a, b) => a - b)) {
    const own = plans.filter((p) => p.workflow === workflow)
    gates.set(workflow, await LiveGate.take(db, workflow, own, now))
  }
  const gated = plans.map((p) => {
    const own = gates.get(p.workflow)
    return own ? own.let(p, now) : p.plan
  })
  for (const own of gates.values()) await own.note(db)
  return gated
}

/** Holds back what goes past the most of the organisation, in order; the count of the hour is taken under a lock. */
export async function capAll(db: Queryable, plans: readonly Plan[], caps: Caps, zone: string, now: Date): Promise<readonly Plan[]> {
  if (!areCapped(caps) || plans.every((p) => p.messages.length === 0)) return plans
  const hour = new Date(Math.floor(now.getTime() / HOUR_MS) * HOUR_MS)
  const before = await takePassedIn(db, hour, startOfDay(dayOf(now, zone), zone))
  let sum = 0
  const through = plans.map((plan) => {
    const { plan: held, counted } = capped(plan, caps, { day: before.day + sum, hour: before.hour + sum })
    sum += counted
    return held
  })
  if (sum > 0) await notePassedIn(db, hour, before.hour + sum)
  return through
}

const HOUR_MS = 3_600_000

/** One workflow's limits, as they are in force: what passed before, and what passes now. */
class LiveGate implements Passing {
  private readonly now = new Map<string, PassedRow>()
  private counted = 0

  private constructor(
    private readonly workflow: number,
    private readonly before: ReadonlyMap<string, PassedRow>,
    private readonly day: string,
    private readonly onDay: number,
    readonly said: Said,
  ) {}

  static async take(db: Queryable, workflow: number, plans: readonly Limited[], now: Date): Promise<LiveGate> {
    const keys = new Set(plans.flatMap(({ plan, limits, occasion }) => keysOf(plan, limits, aboutOf(occasion))))
    const before = await takePassed(db, workflow, [...keys])
    const day = dayOf(now, plans[0]?.organisation?.zone ?? 'UTC')
    const isCapped = plans.some((p) => p.limits?.perDay !== undefined)
    const addresses = plans.flatMap(({ plan }) => plan.messages.flatMap((m) => [...m.to, ...m.cc, ...m.bcc].map((r) => r.address)))
    const said = plans.some((p) => p.hasSay) ? await saidBy(db, workflow, addresses) : NOTHING_SAID
    return new LiveGate(workflow, before, day, isCapped ? await takePassedOn(db, workflow, day) : 0, said)
  }

  last(key: string): PassedRow | null {
    return this.now.get(key) ?? this.before.get(key) ?? null
  }

  passedOn(): number {
    return this.onDay + this.counted
  }

  let({ plan, limits, occasion, organisation }: Limited, now: Date): Plan {
    if (!organisation) return plan
    const gated = gate(plan, limits, aboutOf(occasion), occasion.key, this, organisation, now)
    for (const key of gated.keys) this.now.set(key, { at: occasion.at, run: occasion.key })
    this.counted += gated.counted
    return gatedPlan(plan, gated)
  }

  async note(db: Queryable): Promise<void> {
    await notePassed(db, this.workflow, this.now)
    if (this.counted > 0) await notePassedOn(db, this.workflow, this.day, this.onDay + this.counted)
  }
}
