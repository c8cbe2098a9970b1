import { CHANGE_KINDS, type Change, type ChangeKind } from '../changes/change'
import type { Facts, Setting } from '../conditions/compile'
import { OPERATORS } from '../conditions/operators'
import type { Clause, Operand } from '../document/condition'
import { must, partsOf } from '../must'
import { isBlank } from '../values/compare'
import type { Stored, TableDef } from '../values/tables'
import { Bits } from './bits'
import { type Column, Columns } from './columns'
import type { Observation } from './observation'
import { DAY_MS, Shared } from './shared'

/** What a clause comes to over observations: where it holds, and where it held before the change (of created and deleted ones: nowhere). */
export interface Sides {
  readonly holds: Bits
  readonly held: Bits
}

/** Whether a right side is the same at every change. */
const isFixed = (operand: Operand | undefined) => operand === undefined || operand === null || typeof operand !== 'object' || Array.isArray(operand)

const isField = (operand: Operand | undefined): operand is { readonly field: string } => typeof operand === 'object' && operand !== null && 'field' in operand

/** Past changes in a row, and what clauses come to over them, by the language's own reading of clauses. */
export class Observed {
  readonly size: number
  /** Created and deleted ones: nothing held before them. */
  readonly fresh: Bits
  private readonly facts: readonly Facts[]
  private readonly before: readonly Facts[]
  private readonly known = new Map<Clause, Sides>()
  private knownDays: Int32Array | null = null
  private readonly kinds = new Map<string, Bits>()
  private readonly columns: Columns
  private readonly spreads = new Map<number, Observed>()

  constructor(
    readonly table: TableDef,
    readonly setting: Setting,
    readonly observations: readonly Observation[],
    private readonly shared = new Shared(table, setting),
  ) {
    this.size = observations.length
    const { organisation } = setting
    this.facts = observations.map(({ change: { kind, before, after, at, by }, lookups }) => ({ kind, before, after, at, by, lookups, organisation }))
    this.before = this.facts.map((facts) => ({ ...facts, after: facts.before }))
    this.fresh = this.ofKinds(['created', 'deleted'])
    this.columns = new Columns(table, observations, this.facts, this.fresh, this.shared)
  }

  kindAt(i: number): ChangeKind {
    return this.changeAt(i).kind
  }

  changeAt(i: number): Change {
    return must(this.observations[i]).change
  }

  factsAt(i: number): Facts {
    return must(this.facts[i])
  }

  /** Those that are of some kinds. */
  ofKinds(on: readonly ChangeKind[]): Bits {
    const key = on.join()
    const known = this.kinds.get(key)
    if (known) return known
    const found = Bits.of(this.size, (i) => on.includes(this.kindAt(i)))
    this.kinds.set(key, found)
    return found
  }

  /** What a clause comes to over all of them; remembered by the clause as an object. @throws Error where it does not fit the table */
  sides(clause: Clause): Sides {
    const known = this.known.get(clause)
    if (known) return known
    const found = this.evaluate(clause)
    this.known.set(clause, found)
    return found
  }

  /** The same clause as one object, whoever makes it: what is known of it is kept by the object. */
  same(clause: Clause): Clause {
    return this.shared.same(clause)
  }

  /** Some of them, by their places, in the order given. */
  only(places: readonly number[]): Observed {
    return new Observed(
      this.table,
      this.setting,
      places.map((i) => must(this.observations[i])),
      this.shared,
    )
  }

  /** At most so many of them, spread evenly; all where there are no more. */
  spread(most: number): Observed {
    if (this.size <= most) return this
    const known = this.spreads.get(most) ?? this.only(this.placesSpread(most))
    this.spreads.set(most, known)
    return known
  }

  /** The places of at most so many of them, spread evenly. */
  placesSpread(most: number): number[] {
    const count = Math.min(this.size, most)
    return Array.from({ length: count }, (_, k) => Math.floor((k * this.size) / count))
  }

  /** What a path reads at each of them. @throws Error where there is no such path */
  column(path: string): Column {
    return this.columns.column(path)
  }

  /** Reads several paths, change by change: where all of them are wanted, each record is gone through once. @throws Error where there is no such path */
  readAll(paths: readonly string[]): void {
    this.columns.readAll(paths)
  }

  private evaluate(clause: Clause): Sides {
    const isOfValues = isFixed(clause.value) && isFixed(clause.to)
    if (OPERATORS[clause.op].change) {
      const test = this.shared.testOf(clause)
      return { holds: this.where(clause, isOfValues ? this.testedByPairs(clause, test) : (i) => test(this.factsAt(i))), held: new Bits(this.size) }
    }
    const column = this.column(clause.field)
    const { changed } = this.columns.movedIn(partsOf(clause.field)[0])
    if (!isOfValues) return isField(clause.value) ? this.byField(clause, column, clause.value.field) : this.byChange(clause, column, changed)
    if (clause.op === 'between' && column.ordered()) return this.between(clause)
    return this.byValue(clause, column, changed)
  }

  /** What lies between two limits, both ends within, is what both let through. */
  private between({ field, value, to }: Clause): Sides {
    const [low, high] = [this.end({ field, op: 'at least', value }), this.end({ field, op: 'at most', value: to })]
    return { holds: low.holds.and(high.holds), held: low.held.and(high.held) }
  }

  private end(clause: Clause): Sides {
    return this.sides(this.same(clause))
  }

  /** Of a right side that is the same everywhere: each value is tested once, and of values in order a few. */
  private byValue(clause: Clause, { now, before, from, ordered }: Column, changed: readonly number[]): Sides {
    const test = this.shared.testOf(clause)
    const testAt = (place: number) => {
      const i = must(from[place])
      return i < 0 ? test(must(this.before[~i])) : test(this.factsAt(i))
    }
    const passes = ordered()?.through(clause.op, testAt) ?? this.tested(from.length, testAt)
    const holds = Bits.byPlace(now, passes)
    const held = this.heldAtLeast(holds, clause)
    for (const i of changed) if (passes[before[i] ?? 0] === 1) held.add(i)
    return { holds, held }
  }

  /** Which of so many values pass a test, by place; `Uint8Array.from` takes fifty times as long for it. */
  private tested(size: number, test: (place: number) => boolean): Uint8Array {
    const passes = new Uint8Array(size)
    for (let place = 0; place < size; place++) if (test(place)) passes[place] = 1
    return passes
  }

  /** Of a right side that is another field of the record, by what is read of both. */
  private byField(clause: Clause, column: Column, other: string): Sides {
    const right = this.column(other)
    const { test } = OPERATORS[clause.op]
    const { organisation } = this.setting
    const at = (i: number, left: number | undefined, to: number | undefined): boolean => {
      const { kind, at } = this.changeAt(i)
      return test({ type: column.type, now: column.values[left ?? 0], value: right.values[to ?? 0] ?? null, before: undefined, to: undefined, kind, at, organisation })
    }
    const holds = Bits.of(this.size, (i) => at(i, column.now[i], right.now[i]))
    const moved = this.columns
      .movedIn(partsOf(clause.field)[0])
      .bits.or(this.columns.movedIn(partsOf(other)[0]).bits)
      .without(this.fresh)
    const held = holds.without(moved).without(this.fresh)
    moved.each((i) => {
      if (at(i, column.before[i], right.before[i])) held.add(i)
    })
    return { holds, held }
  }

  /** Of a right side that differs from change to change; of a span of days from a date each length of time between the two is tested once. */
  private byChange(clause: Clause, { now, before, values, type }: Column, changed: readonly number[]): Sides {
    const test = this.shared.testOf(clause)
    const isOfDays = type === 'date' && typeof clause.value === 'object' && clause.value !== null && 'days' in clause.value
    const apart = isOfDays ? this.daysFrom(values) : null
    const known = new Map<number, boolean>()
    const at = (i: number, places: Int32Array, facts: readonly Facts[]): boolean => {
      const days = apart?.(i, places[i] ?? 0)
      if (days === undefined) return test(must(facts[i]))
      const there = known.get(days)
      if (there !== undefined) return there
      const found = test(must(facts[i]))
      known.set(days, found)
      return found
    }
    const holds = Bits.of(this.size, (i) => at(i, now, this.facts))
    const held = this.heldAtLeast(holds, clause)
    for (const i of changed) if (at(i, before, this.before)) held.add(i)
    return { holds, held }
  }

  /** What held before where the field was not changed: what holds now. */
  private heldAtLeast(holds: Bits, { field }: Clause): Bits {
    return holds.without(this.columns.movedIn(partsOf(field)[0]).bits) // among which are all that are fresh
  }

  /** How many days a date is after the day of a change, as people count them there; undefined of what is no date. */
  private daysFrom(values: readonly Stored[]): (i: number, place: number) => number | undefined {
    const days = values.map((value) => (isBlank(value) ? Number.NaN : Date.parse(String(value)) / DAY_MS))
    const of = this.days()
    return (i, place) => {
      const found = (days[place] ?? Number.NaN) - (of[i] ?? 0)
      return Number.isInteger(found) ? found : undefined
    }
  }

  /** The days of the changes, as people count them, since 1970. */
  private days(): Int32Array {
    if (this.knownDays) return this.knownDays
    const days = new Int32Array(this.size)
    for (let i = 0; i < this.size; i++) days[i] = this.shared.dayOf(this.factsAt(i).at)
    this.knownDays = days
    return days
  }

  /** Where what compares before with after holds: nowhere where they are alike. */
  private where({ field }: Clause, holds: (i: number) => boolean): Bits {
    const found = new Bits(this.size)
    for (const i of this.columns.movedIn(partsOf(field)[0]).all) if (holds(i)) found.add(i)
    return found
  }

  /** A test of what compares before with after, with a right side that is the same everywhere: each pair of values is tested once, of each kind of change. */
  private testedByPairs({ field }: Clause, test: (facts: Facts) => boolean): (i: number) => boolean {
    const { now, before, values } = this.column(field)
    const known = new Map<number, boolean>()
    return (i) => {
      const key = (CHANGE_KINDS.indexOf(this.kindAt(i)) * values.length + must(before[i])) * values.length + must(now[i])
      const there = known.get(key)
      if (there !== undefined) return there
      const found = test(this.factsAt(i))
      known.set(key, found)
      return found
    }
  }
}
