import { type CompiledCondition, compileClause, compileReader, type Reader, type Setting } from '../conditions/compile'
import type { Clause } from '../document/condition'
import { dayFrom } from '../values/dates'
import type { TableDef } from '../values/tables'

/** How long a day is in UTC, by which days are counted. */
export const DAY_MS = 86_400_000

/** Within a quarter of an hour days do not change anywhere: clocks differ from UTC by multiples of it (as the IANA time zone database has it since 1972). */
const QUARTER_MS = 900_000

/** What is known of clauses and of time wherever changes of one table are looked at in one setting. */
export class Shared {
  private readonly clauses = new Map<string, Clause>()
  private readonly tests = new Map<Clause, CompiledCondition['test']>()
  private readonly readers = new Map<string, Reader>()
  private readonly days = new Map<number, number>()

  constructor(
    private readonly table: TableDef,
    private readonly setting: Setting,
  ) {}

  /** The first object that said the same. */
  same(clause: Clause): Clause {
    const key = JSON.stringify(clause)
    const known = this.clauses.get(key)
    if (known) return known
    this.clauses.set(key, clause)
    return clause
  }

  testOf(clause: Clause): CompiledCondition['test'] {
    const known = this.tests.get(clause)
    if (known) return known
    const { test } = compileClause(clause, this.readerOf(clause.field), this.table, this.setting, '')
    this.tests.set(clause, test)
    return test
  }

  readerOf(path: string): Reader {
    const known = this.readers.get(path)
    if (known) return known
    const reader = compileReader(path, this.table, this.setting)
    this.readers.set(path, reader)
    return reader
  }

  /** The day of a moment, as people count days there, since 1970. */
  dayOf(at: Date): number {
    const quarter = Math.floor(at.getTime() / QUARTER_MS)
    const known = this.days.get(quarter)
    if (known !== undefined) return known
    const day = Date.parse(dayFrom(at, 0, this.setting.organisation.zone)) / DAY_MS
    this.days.set(quarter, day)
    return day
  }
}
