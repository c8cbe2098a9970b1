import type { Facts } from '../conditions/compile'
import { must, partsOf } from '../must'
import { type FieldType, type Image, idFrom, type Stored, type TableDef, targetOf } from '../values/tables'
import { Bits } from './bits'
import type { Observation } from './observation'
import { Ordered } from './ordered'
import type { Shared } from './shared'

/** What a path reads at each of the changes, now and before, as places among its distinct values. */
export interface Column {
  readonly now: Int32Array
  /** The same as `now` where the change did not move it, and of what was not there before. */
  readonly before: Int32Array
  readonly values: readonly Stored[]
  /** At which change each value is read: its place, or that turned over (`~`) where it is read before the change. */
  readonly from: readonly number[]
  readonly type: FieldType
  /** The values in order; null where they have none. */
  readonly ordered: () => Ordered | null
}

/** Where a field moved: of all changes, and of those of records that were there and are. */
export interface Moved {
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

/** What paths read at some changes in a row, each path once, and where fields moved. */
export class Columns {
  private readonly columns = new Map<string, Column>()
  private readonly moved = new Map<string, Moved>()
  private readonly beside = new Map<string, { now: Int32Array; before: Int32Array } | null>()
  private knownChanged: ReadonlyMap<string, readonly number[]> | null = null
  private readonly size: number

  constructor(
    private readonly table: TableDef,
    private readonly observations: readonly Observation[],
    private readonly facts: readonly Facts[],
    /** Created and deleted ones. */
    private readonly fresh: Bits,
    private readonly shared: Shared,
  ) {
    this.size = facts.length
  }

  /** What a path reads at each of them. @throws Error where there is no such path */
  column(path: string): Column {
    const known = this.columns.get(path)
    if (known) return known
    const { column, readAt } = this.begun(path)
    for (let i = 0; i < this.size; i++) readAt(i)
    return column
  }

  /** Reads several paths, change by change: where all of them are wanted, each record is gone through once. @throws Error where there is no such path */
  readAll(paths: readonly string[]): void {
    const begun = paths.filter((path) => !this.columns.has(path)).map((path) => this.begun(path))
    for (let i = 0; i < this.size; i++) for (const { readAt } of begun) readAt(i)
  }

  /** A column that is still to be read, change by change. */
  private begun(path: string): { column: Column; readAt: (i: number) => void } {
    const { read, type } = this.shared.readerOf(path)
    const [own, ...beyond] = partsOf(path)
    const values = new Distinct<Stored>()
    const from: number[] = []
    const { changed } = this.movedIn(own)
    const beside = beyond.length === 1 ? this.besideOf(own) : null
    const places = new Map<number, number>()
    const [now, before] = [new Int32Array(this.size), new Int32Array(this.size)]
    const placeOf = (i: number, isBefore: boolean): number => {
      const record = beside ? must((isBefore ? beside.before : beside.now)[i]) : 0
      const there = beside ? places.get(record) : undefined
      if (there !== undefined) return there
      const facts = must(this.facts[i])
      const place = values.placeOf(read(facts, isBefore ? facts.before : (facts.after ?? facts.before)) ?? null)
      if (place === from.length) from.push(isBefore ? ~i : i)
      if (beside) places.set(record, place)
      return place
    }
    let next = 0
    const readAt = (i: number) => {
      const place = placeOf(i, false)
      now[i] = place
      const isChanged = changed[next] === i
      if (isChanged) next++
      before[i] = isChanged ? placeOf(i, true) : place
    }
    let ordered: Ordered | null | undefined
    const inOrder = () => {
      if (ordered === undefined) ordered = Ordered.of(values.all, type)
      return ordered
    }
    const column: Column = { now, before, values: values.all, from, type, ordered: inOrder }
    this.columns.set(path, column)
    return { column, readAt }
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

  /** Where a field of the record is not certainly what it was before, and which of these are changes of a record. */
  movedIn(field: string): Moved {
    const known = this.moved.get(field)
    if (known) return known
    const changed = this.placesChanged().get(field) ?? []
    const bits = this.fresh.or(Bits.among(this.size, changed))
    const found = { bits, all: bits.members(), changed }
    this.moved.set(field, found)
    return found
  }

  /** Where each field was changed, of records that were there and are. */
  private placesChanged(): ReadonlyMap<string, readonly number[]> {
    if (this.knownChanged) return this.knownChanged
    const found = new Map<string, number[]>()
    for (let i = 0; i < this.size; i++) {
      const { kind, changed } = must(this.observations[i]).change
      if (kind !== 'changed') continue
      for (const field of changed) {
        const known = found.get(field)
        if (known) known.push(i)
        else found.set(field, [i])
      }
    }
    this.knownChanged = found
    return found
  }
}
