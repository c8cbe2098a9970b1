import type { Occasion } from '@/core/cues/occasion'
import type { Limits } from '@/core/document/document'
import { areCapped, type Caps, capped } from '@/core/limits/caps'
import { aboutOf, gate, gatedPlan, keysOf, type Passing } from '@/core/limits/gate'
import { NOTHING_SAID, type Said } from '@/core/limits/own-say'
import { dayOf, startOfDay } from '@/core/values/dates'
import type { Organisation } from '@/core/values/tables'
import { everybody, type Plan } from '@/core/workflow/plan'
import type { Queryable } from '@/store/database'
import { saidBy } from '@/store/limits/own-say'
import { addPassedOn, lookPassedOn, type PassedKey, type PassedRow, settlePassed, takePassed, takePassedOn } from '@/store/limits/passed'
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

/** Thrown where counts of a day that were only looked at grew past their most meanwhile, or come to it: it is to be done again with the counts taken. */
export class Overtaken extends Error {}

/** Plans as limits let them through, and what is to be noted of it, last in the transaction. */
export interface GatedPlans {
  readonly plans: readonly Plan[]
  /** @throws Overtaken where counts were only looked at */
  readonly note: (db: Queryable) => Promise<void>
}

/**
 * Lets plans through their workflows' limits, in order, as one transaction: what passed before is read and noted under locks, so that of several workers one lets the first through. `now` is when they are sent.
 * Counts of a day are looked at without taking them where `boldly`, for far from its most a count decides nothing: they are added to at the end, so that others wait for no more than that.
 * @throws Overtaken where they come to their most
 */
export async function gateAll(db: Queryable, plans: readonly Limited[], now: Date, boldly: boolean): Promise<GatedPlans> {
  const concerned = plans.filter((p) => (p.limits || p.hasSay) && p.organisation)
  if (concerned.length === 0) return { plans: plans.map((p) => p.plan), note: () => Promise.resolve() }
  const day = dayOf(now, concerned[0]?.organisation?.zone ?? 'UTC')
  const gates = await takeGates(db, concerned, day, boldly)
  const through = plans.map((p) => gates.get(p.workflow)?.let(p, now) ?? p.plan)
  const all = [...gates.values()]
  if (boldly && all.some((g) => g.turned)) throw new Overtaken()
  const note = async () => {
    await settlePassed(
      db,
      all.flatMap((g) => g.changed()),
      all.flatMap((g) => g.forgotten()),
    )
    const onDay = await addPassedOn(db, day, new Map(all.flatMap((g) => (g.counted > 0 ? [[g.workflow, g.counted]] : []))))
    if (boldly && all.some((g) => g.perDay !== undefined && (onDay.get(g.workflow) ?? 0) > g.perDay)) throw new Overtaken()
  }
  return { plans: through, note }
}

/** What passed before of each workflow at hand, taken for this transaction: of all of them at once, in one order. */
async function takeGates(db: Queryable, plans: readonly Limited[], day: string, boldly: boolean): Promise<Map<number, LiveGate>> {
  const keys = plans.flatMap(({ workflow, plan, limits, occasion }) =>
    keysOf(plan, limits, aboutOf(occasion)).map((key) => ({ workflow, key, at: occasion.at, run: occasion.key })),
  )
  const before = await takePassed(db, keys)
  const begun = new Map<number, Map<string, PassedRow>>()
  for (const { workflow, key, at, run } of keys) {
    const own = begun.get(workflow) ?? new Map<string, PassedRow>()
    if (!before.get(workflow)?.has(key) && !own.has(key)) begun.set(workflow, own.set(key, { at, run }))
  }
  const perDay = new Map(plans.flatMap((p) => (p.limits?.perDay === undefined ? [] : [[p.workflow, p.limits.perDay]])))
  const onDay = await (boldly ? lookPassedOn : takePassedOn)(db, [...perDay.keys()], day)
  const addressed = plans.filter((p) => p.hasSay).flatMap(({ workflow, plan }) => plan.messages.flatMap((m) => everybody(m).map(({ address }) => ({ workflow, address }))))
  const said = await saidBy(db, addressed)
  const workflows = [...new Set(plans.map((p) => p.workflow))]
  return new Map(workflows.map((w) => [w, new LiveGate(w, before.get(w) ?? new Map(), begun.get(w) ?? new Map(), perDay.get(w), onDay.get(w) ?? 0, said.get(w) ?? NOTHING_SAID)]))
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
  counted = 0

  constructor(
    readonly workflow: number,
    private readonly before: ReadonlyMap<string, PassedRow>,
    /** Keys that never passed before, as they were noted when they were taken. */
    private readonly begun: ReadonlyMap<string, PassedRow>,
    readonly perDay: number | undefined,
    private readonly onDay: number,
    readonly said: Said,
  ) {}

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
    if (this.perDay !== undefined) this.counted += gated.counted
    return gatedPlan(plan, gated)
  }

  /** Whether what passes now brings the day to its most: then what comes after it depends on the count. */
  get turned(): boolean {
    return this.counted > 0 && this.perDay !== undefined && this.onDay + this.counted >= this.perDay
  }

  /** What passed now other than as it was noted already, by the keys of spacing. */
  changed(): PassedKey[] {
    return [...this.now].flatMap(([key, row]) => (this.begun.get(key)?.run === row.run ? [] : [{ workflow: this.workflow, key, ...row }]))
  }

  /** Keys that were noted, and did not pass. */
  forgotten(): { workflow: number; key: string }[] {
    return [...this.begun.keys()].flatMap((key) => (this.now.has(key) ? [] : [{ workflow: this.workflow, key }]))
  }
}
