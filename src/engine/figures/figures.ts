import type { Pool } from 'pg'
import { fallsInto } from '@/core/changes/snapshot'
import { crossingOccasion } from '@/core/cues/occasion'
import { allFigures, families, tableOfFigure } from '@/core/figures/computed'
import { groupValue, saidValue } from '@/core/figures/crossing'
import { must } from '@/core/must'
import { holdOffSwitches } from '@/store/changes'
import type { Queryable } from '@/store/database'
import { checkFigures } from '@/store/figures/check'
import { insertCrossings, type NewCrossing } from '@/store/figures/crossings'
import { anyWindows, listFigures } from '@/store/figures/definitions'
import { keepHours } from '@/store/figures/hours'
import type { Clock } from '../clock'
import type { Dispatcher } from '../dispatch'
import { fire, type Pair } from '../fire'
import type { Source } from '../occasions/source'
import { persist } from '../persist'
import type { LiveWorkflow } from '../program'
import { type Moved, nextRoll, Upkeep } from './upkeep'

/** How often a check is begun again where changes come in between. */
const MOST_TRIES = 5

/** Keeps figures up, and lets what they cross set workflows off, in the same transaction. */
export class Figures implements Source {
  private readonly upkeep: Upkeep

  constructor(
    private readonly pool: Pool,
    private readonly dispatcher: Dispatcher,
    private readonly clock: Clock,
  ) {
    this.upkeep = new Upkeep(pool, clock, (db, moved) => this.crossed(db, moved))
  }

  /** When windows roll next; null where no figure has one. */
  async next(): Promise<Date | null> {
    const { surroundings } = await this.dispatcher.current(this.pool)
    return (await anyWindows(this.pool)) ? nextRoll(this.clock(), surroundings.organisation.zone) : null
  }

  /** Moves every figure that has something to move. */
  async handle(): Promise<number> {
    const { surroundings } = await this.dispatcher.current(this.pool)
    return this.upkeep.moveAll(surroundings)
  }

  /** Works every figure out anew, holds it against what is kept, and puts right what differs; those that were put right. */
  async check(): Promise<{ name: string; differing: number }[]> {
    const { surroundings } = await this.dispatcher.current(this.pool)
    const mended: { name: string; differing: number }[] = []
    const all = await listFigures(this.pool)
    const ids = new Map(all.map((f) => [f.name, f.id]))
    for (const family of families(all.map((f) => f.definition))) {
      const own = family.map((f) => must(ids.get(f.name)))
      for (let tries = 0; tries < MOST_TRIES; tries++) {
        await this.upkeep.moveSafely(own, surroundings)
        const found = await checkFigures(this.pool, own, surroundings, this.clock()).catch(() => null) // moved by another in between
        mended.push(...(found ?? []))
        if (found !== null) break
      }
    }
    return mended
  }

  /** Keeps hour by hour what figures went through, before the log is cut. */
  async keepHours(): Promise<void> {
    const { surroundings } = await this.dispatcher.current(this.pool)
    await keepHours(this.pool, surroundings, this.clock())
  }

  private async crossed(db: Queryable, { figure, crossings }: Moved): Promise<void> {
    await holdOffSwitches(db)
    const ids = await insertCrossings(db, crossings)
    const program = await this.dispatcher.current(db)
    const waiting = program.byFigure.get(figure.name) ?? []
    const table = tableOfFigure(figure.definition, allFigures(program.surroundings.schema)) ?? ''
    const pairs = crossings.flatMap((crossing, i): Pair[] =>
      waiting.filter((live) => !crossing.by?.quiet && isWaitedFor(live, crossing)).map((live) => ({ live, occasion: occasionOf(ids[i] ?? 0, figure.name, table, crossing) })),
    )
    await persist(db, await fire(db, program, pairs, this.dispatcher.deciding), this.dispatcher.post(program))
  }
}

/** Whether a workflow waits for a threshold, and was live when what crossed it was committed. */
function isWaitedFor({ crossing, from, to }: LiveWorkflow, { threshold, xid }: NewCrossing): boolean {
  return crossing?.threshold === threshold && (xid === null ? to === null : fallsInto(xid, from, to))
}

function occasionOf(id: number, figure: string, table: string, { threshold, line, grp, before, value, n, at, by, run, depth }: NewCrossing) {
  const group = groupValue(grp)
  return crossingOccasion({
    id,
    table,
    at,
    by,
    run,
    depth,
    crossing: { figure, threshold, line, group, before: saidValue(before), value: saidValue(value), count: n },
  })
}
