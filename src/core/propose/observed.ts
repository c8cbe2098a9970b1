import { CHANGE_KINDS, type Change, type ChangeKind } from '../changes/change'
import { type CompiledCondition, compileCondition, compileReader, type Facts, type Setting } from '../conditions/compile'
import { OPERATORS } from '../conditions/operators'
import type { Clause, Operand } from '../document/condition'
import { must, partsOf } from '../must'
import type { Lookups } from '../paths/lookups'
import { dayFrom } from '../values/dates'
import { type FieldType, type Image, idFrom, type Stored, type TableDef, targetOf } from '../values/tables'
import { Bits } from './bits'

/** A recorded change, with the records that it links to as they stood. */
export interface Observation {
  readonly change: Change
  readonly lookups: Lookups
}

/** What a clause comes to over observations: where it holds, and where it held before the change (of created and deleted ones: nowhere). */
export interface Sides {
  readonly holds: Bits
  readonly held: Bits
}

/** What a path reads at each of the changes, now and before, as places among its distinct values. */
export interface Column {
  readonly now: Int32Array
  /** The same as `now` where the change did not move it, and of what was not there before. */
  readonly before: Int32Array
  readonly values: readonly Stored[]
  readonly type: FieldType
}

/** Whether a right side is the same at every change. */
const isFixed = (operand: Operand | undefined) => operand === undefined || operand === null || typeof operand !== 'object' || Array.isArray(operand)

/** Where a field moved: of all changes, and of those of records that were there and are. */
interface Moved {
  readonly bits: Bits
  readonly all: readonly number[]
  readonly changed: readonly number[]
}

/** Values in the order in which they are met first, each once. */
class Distinct<T> {
  readonly all: T[] = []
  private readonly places = new Map<T, number>()

  placeOf(value: T): number {
    const there = this.places.get(value)
    if (there !== undefined) return there
    this.places.set(value, this.all.length)
    return this.all.push(value) - 1
  }
}

/** Past changes in a row, and what clauses come to over them, by the language's own reading of clauses. */
export class Observed {
  readonly size: number
  /** Created and deleted ones: nothing held before them. */
  readonly fresh: Bits
  private readonly facts: readonly Facts[]
  private readonly before: readonly Facts[]
  private readonly known = new Map<Clause, Sides>()
  private readonly changed = new Map<string, Moved>()
  private knownDays: { of: Int32Array; count: number } | null = null
  private readonly kinds = new Map<string, Bits>()
  private readonly columns = new Map<string, Column>()
  private readonly beside = new Map<string, { now: Int32Array; before: Int32Array } | null>()

  constructor(
    readonly table: TableDef,
    readonly setting: Setting,
    readonly observations: readonly Observation[],
    /** Tests of clauses, as objects, that are known from others of the same table. */
    private readonly tests = new Map<Clause, CompiledCondition['test']>(),
  ) {
    this.size = observations.length
    const { organisation } = setting
    this.facts = observations.map(({ change: { kind, before, after, at, by }, lookups }) => ({ kind, before, after, at, by, lookups, organisation }))
    this.before = this.facts.map((facts) => ({ ...facts, after: facts.before }))
    this.fresh = this.ofKinds(['created', 'deleted'])
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

  /** Some of them, by their places, in the order given. */
  only(places: readonly number[]): Observed {
    return new Observed(
      this.table,
      this.setting,
      places.map((i) => must(this.observations[i])),
      this.tests,
    )
  }

  /** At most so many of them, spread evenly; all where there are no more. */
  spread(most: number): Observed {
    return this.size <= most ? this : this.only(this.placesSpread(most))
  }

  /** The places of at most so many of them, spread evenly. */
  placesSpread(most: number): number[] {
    const count = Math.min(this.size, most)
    return Array.from({ length: count }, (_, k) => Math.floor((k * this.size) / count))
  }

  /** What a path reads at each of them. @throws Error where there is no such path */
  column(path: string): Column {
    const known = this.columns.get(path)
    if (known) return known
    const { read, type } = compileReader(path, this.table, this.setting)
    const [own, ...beyond] = partsOf(path)
    const values = new Distinct<Stored>()
    const moved = this.movedIn(own)
    const beside = beyond.length === 1 ? this.besideOf(own) : null
    const places = new Map<number, number>()
    const [now, before] = [new Int32Array(this.size), new Int32Array(this.size)]
    const placeOf = (i: number, isBefore: boolean): number => {
      const facts = this.factsAt(i)
      const image = isBefore ? facts.before : (facts.after ?? facts.before)
      if (!beside) return values.placeOf(read(facts, image) ?? null)
      const record = must((isBefore ? beside.before : beside.now)[i])
      const there = places.get(record)
      if (there !== undefined) return there
      const found = values.placeOf(read(facts, image) ?? null)
      places.set(record, found)
      return found
    }
    for (let i = 0; i < this.size; i++) {
      const at = placeOf(i, false)
      now[i] = at
      before[i] = this.kindAt(i) === 'changed' && moved.bits.has(i) ? placeOf(i, true) : at
    }
    const column = { now, before, values: values.all, type }
    this.columns.set(path, column)
    return column
  }

  /** The records that a link leads to, as they stood, each image a place: what is read of the same image is the same. Null where the field is no link. */
  private besideOf(field: string): { now: Int32Array; before: Int32Array } | null {
    const known = this.beside.get(field)
    if (known !== undefined) return known
    const def = this.table.fields.find((f) => f.name === field)
    const target = def && targetOf(def)
    const images = new Distinct<Image | null>()
    const moved = this.movedIn(field)
    const at = (i: number, own: Image | null) => {
      const id = idFrom(own?.[field])
      return images.placeOf(target && id !== null ? must(this.observations[i]).lookups.record(target, id) : null)
    }
    const now = Int32Array.from(this.facts, ({ before, after }, i) => at(i, after ?? before))
    const before = Int32Array.from(this.facts, ({ before: was }, i) => (moved.bits.has(i) ? at(i, was) : must(now[i])))
    const found = target ? { now, before } : null
    this.beside.set(field, found)
    return found
  }

  private evaluate(clause: Clause): Sides {
    const test = this.testOf(clause)
    const isOfValues = isFixed(clause.value) && isFixed(clause.to)
    if (OPERATORS[clause.op].change) return { holds: this.where(clause, isOfValues ? this.testedByPairs(clause, test) : (i) => test(this.factsAt(i))), held: new Bits(this.size) }
    const { now, before, values, type } = this.column(clause.field)
    const other = isOfValues ? null : type === 'date' && typeof clause.value === 'object' && clause.value !== null && 'days' in clause.value ? this.days() : undefined
    const known = new Int8Array(other === undefined ? 0 : values.length * (other ? other.count : 1))
    const at = (places: Int32Array, facts: readonly Facts[], i: number): boolean => {
      if (other === undefined) return test(must(facts[i]))
      const key = (places[i] ?? 0) * (other ? other.count : 1) + (other?.of[i] ?? 0)
      const there = known[key]
      if (there) return there === 1
      const found = test(must(facts[i]))
      known[key] = found ? 1 : 2
      return found
    }
    const moved = this.movedIn(partsOf(clause.field)[0])
    const holds = new Bits(this.size)
    for (let i = 0; i < this.size; i++) if (at(now, this.facts, i)) holds.add(i)
    const held = holds.without(moved.bits) // among which are all that are fresh
    for (const i of moved.changed) if (at(before, this.before, i)) held.add(i)
    return { holds, held }
  }

  /** The days of the changes, as people count them: what a span of days from a date comes to depends on no more of when a change was. */
  private days(): { of: Int32Array; count: number } {
    if (this.knownDays) return this.knownDays
    const days = new Distinct<string>()
    const { zone } = this.setting.organisation
    const of = Int32Array.from(this.facts, ({ at }) => days.placeOf(dayFrom(at, 0, zone)))
    this.knownDays = { of, count: days.all.length }
    return this.knownDays
  }

  private testOf(clause: Clause): CompiledCondition['test'] {
    const known = this.tests.get(clause)
    if (known) return known
    const { test } = compileCondition(clause, this.table, this.setting, '')
    this.tests.set(clause, test)
    return test
  }

  /** Where what compares before with after holds: nowhere where they are alike. */
  private where({ field }: Clause, holds: (i: number) => boolean): Bits {
    const found = new Bits(this.size)
    for (const i of this.movedIn(partsOf(field)[0]).all) if (holds(i)) found.add(i)
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

  /** Where a field of the record is not certainly what it was before, and which of these are changes of a record. */
  private movedIn(field: string): Moved {
    const known = this.changed.get(field)
    if (known) return known
    const bits = Bits.of(this.size, (i) => this.kindAt(i) !== 'changed' || this.changeAt(i).changed.includes(field))
    const all = bits.members()
    const found = { bits, all, changed: all.filter((i) => this.kindAt(i) === 'changed') }
    this.changed.set(field, found)
    return found
  }
}
