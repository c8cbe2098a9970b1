import type { Change } from '../changes/change'
import { compileCondition, type Facts, type Setting } from '../conditions/compile'
import { OPERATORS } from '../conditions/operators'
import type { Clause } from '../document/condition'
import { must, partsOf } from '../must'
import type { Lookups } from '../paths/lookups'
import type { TableDef } from '../values/tables'
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

/** Past changes in a row, and what clauses come to over them, by the language's own reading of clauses. */
export class Observed {
  readonly size: number
  readonly created: Bits
  readonly deleted: Bits
  private readonly facts: readonly Facts[]
  private readonly before: readonly Facts[]
  private readonly known = new Map<string, Sides>()
  private readonly changed = new Map<string, Bits>()

  constructor(
    readonly table: TableDef,
    readonly setting: Setting,
    readonly observations: readonly Observation[],
  ) {
    this.size = observations.length
    const { organisation } = setting
    this.facts = observations.map(({ change: { kind, before, after, at, by }, lookups }) => ({ kind, before, after, at, by, lookups, organisation }))
    this.before = this.facts.map((facts) => ({ ...facts, after: facts.before }))
    this.created = Bits.of(this.size, (i) => this.kindAt(i) === 'created')
    this.deleted = Bits.of(this.size, (i) => this.kindAt(i) === 'deleted')
  }

  kindAt(i: number): Change['kind'] {
    return this.changeAt(i).kind
  }

  changeAt(i: number): Change {
    return must(this.observations[i]).change
  }

  factsAt(i: number): Facts {
    return must(this.facts[i])
  }

  /** What a clause comes to over all of them. @throws Error where it does not fit the table */
  sides(clause: Clause): Sides {
    const key = JSON.stringify(clause)
    const known = this.known.get(key)
    if (known) return known
    const found = this.evaluate(clause)
    this.known.set(key, found)
    return found
  }

  /** Some of them, by their places, in the order given. */
  only(places: readonly number[]): Observed {
    return new Observed(
      this.table,
      this.setting,
      places.map((i) => must(this.observations[i])),
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

  private evaluate(clause: Clause): Sides {
    const { test } = compileCondition(clause, this.table, this.setting, '')
    const [own] = partsOf(clause.field)
    const moved = this.movedIn(own)
    const holds = new Bits(this.size)
    const held = new Bits(this.size)
    const compares = OPERATORS[clause.op].change
    for (let i = 0; i < this.size; i++) {
      if (compares && !moved.has(i)) continue // it compares before with after, which are alike
      const now = test(must(this.facts[i]))
      if (now) holds.add(i)
      if (!compares && this.kindAt(i) === 'changed' && (moved.has(i) ? test(must(this.before[i])) : now)) held.add(i)
    }
    return { holds, held }
  }

  /** Where a field of the record is not certainly what it was before. */
  private movedIn(field: string): Bits {
    const known = this.changed.get(field)
    if (known) return known
    const found = Bits.of(this.size, (i) => this.kindAt(i) !== 'changed' || this.changeAt(i).changed.includes(field))
    this.changed.set(field, found)
    return found
  }
}
