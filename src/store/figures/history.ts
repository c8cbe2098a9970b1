import type { Pool } from 'pg'
import { type Figure, isComputed, measureOf, type TableFigure } from '@/core/document/figure'
import { allFigures, compileComputed } from '@/core/figures/computed'
import { groupingOf } from '@/core/figures/groups'
import { type Followed, follow, followTogether, type PastMove, type PastTrack, trackOf } from '@/core/figures/history'
import { Exact, isAdditive, valueOfNothing } from '@/core/figures/parts'
import type { FigureSetting } from '@/core/figures/sql'
import { asJson } from '@/core/figures/sql'
import { daysWithin } from '@/core/figures/window'
import { must } from '@/core/must'
import { dayFrom, startOfDay } from '@/core/values/dates'
import { many, type Queryable, transaction } from '../database'
import type { Span } from '../history'
import { addUpInMemory, movesSql } from './moves'
import { partsSql } from './parts'

/** Moves that a figure is followed by; where there are more, only the newest, and its history begins with them. */
const MOST_MOVES = 300_000

/** A figure's past, worked out from the log. */
export interface FigurePast extends Followed {
  /** From when on it is known; later than asked for where the log reaches no further, or there is too much of it. */
  readonly from: Date
  readonly moves: number
  /** Side by side with it, the figures that its thresholds are at, by their names. */
  readonly track: PastTrack
  readonly lines: ReadonlyMap<string, PastTrack>
}

/** Follows a figure, or a draft of one, over a span that ends now, from the logs and the tables at one snapshot; and the figures that it looks at with it. */
export async function followFigure(pool: Pool, figure: Figure, setting: FigureSetting, span: Span, most = MOST_MOVES): Promise<FigurePast> {
  return transaction(
    pool,
    async (client) => {
      await addUpInMemory(client)
      const following = new Following(client, setting, span, most, figure)
      const { past, track } = await following.one(figure)
      const lines = new Map<string, PastTrack>()
      for (const { value } of figure.thresholds ?? []) {
        const line = typeof value === 'number' ? undefined : following.all.get(value.figure)
        if (line && !lines.has(line.name)) lines.set(line.name, (await following.one(line)).track)
      }
      return { ...past, track, lines }
    },
    'repeatable read, read only',
  )
}

type Past = Pick<FigurePast, 'begun' | 'counts' | 'steps' | 'from' | 'moves'>

/** Follows figures together with those that they look at, each once. */
class Following {
  readonly all: ReadonlyMap<string, Figure>
  private readonly done = new Map<string, { past: Past; track: PastTrack }>()

  constructor(
    private readonly client: Queryable,
    private readonly setting: FigureSetting,
    private readonly span: Span,
    private readonly most: number,
    figure: Figure,
  ) {
    this.all = new Map(allFigures(setting.schema)).set(figure.name, figure)
  }

  async one(figure: Figure): Promise<{ past: Past; track: PastTrack }> {
    const known = this.done.get(figure.name)
    if (known) return known
    const past = isComputed(figure) ? await this.parts(compileComputed(figure)) : await followRecords(this.client, figure, this.setting, this.span, this.most)
    const nothing = isComputed(figure) ? null : valueOfNothing(measureOf(figure.of).kind)
    const found = { past, track: trackOf(past, groupingOf(figure, this.setting.schema, this.all) !== undefined, nothing) }
    this.done.set(figure.name, found)
    return found
  }

  private async parts({ names, work }: ReturnType<typeof compileComputed>): Promise<Past> {
    const parts: { past: Past; track: PastTrack }[] = []
    for (const name of names) {
      const part = this.all.get(name)
      parts.push(part ? await this.one(part) : GONE)
    }
    const from = new Date(Math.max(this.span.from.getTime(), ...parts.map((p) => p.past.from.getTime())))
    return {
      ...followTogether(
        parts.map((p) => p.track),
        work,
      ),
      from,
      moves: parts.reduce((sum, p) => sum + p.past.moves, 0),
    }
  }
}

/** What a figure comes to that is gone: blank. */
const GONE: { past: Past; track: PastTrack } = (() => {
  const past: Past = { begun: new Map(), counts: new Map(), steps: new Map(), from: new Date(0), moves: 0 }
  return { past, track: trackOf(past, false, null) }
})()

async function followRecords(client: Queryable, figure: TableFigure, setting: FigureSetting, span: Span, most: number): Promise<Past> {
  const { kind } = measureOf(figure.of)
  const apart = !isAdditive(kind) || figure.within !== undefined
  const day = figure.within ? 'day' : `'-infinity'::date`
  const apartBy = isAdditive(kind) ? 'null::int' : 'val'
  const params: unknown[] = []
  const parts = partsSql(figure, setting, (value, type) => `$${params.push(value)}::${type}`)
  const now = await many<{ grp: string; day: string; val: string; n: number; total: string }>(
    client,
    `select grp::text as grp, ${day}::text as day, val::text as val, sum(n)::bigint as n, sum(total)::text as total from (${parts}) p group by 1, 2, 3`,
    params,
  )
  const own: unknown[] = [span.from]
  const moves = await movesSql(client, figure, setting, { where: 'c.at >= $1', undone: (place) => `c.id > ${place}` }, (value, type) => `$${own.push(value)}::${type}`)
  const rows = await many<{ id: number; xid: string; at: Date; grp: string; day: string; val: string; n: number; total: string }>(
    client,
    `select max(id) over (partition by xid) as id, xid::text as xid, max(at) over (partition by xid) as at, ${asJson('grp')}::text as grp, day::text as day, ${asJson('val')}::text as val, n, total::text as total from (
       select xid, max(id) as id, max(at) as at, grp, ${day} as day, ${apartBy} as val, sum(n)::int as n, sum(amount) as total from (${moves}) m group by 1, 4, 5, 6 having sum(n) <> 0 or sum(amount) <> 0
        order by max(id) desc limit ${most + 1}) x order by 1, grp`,
    own,
  )
  const kept = rows.length > most ? rows.slice(rows.length - most) : rows
  const from = rows.length > most ? must(kept[0]).at : span.from
  const asMove = ({ grp, day: on, val: value, n, total }: (typeof now)[number]) => ({ grp, day: on, value, n, total: new Exact(apart || kind !== 'count' ? total : 0) })
  const past = kept.map((r): PastMove => ({ ...asMove(r), change: r.id, xid: r.xid, at: r.at }))
  return { from, moves: rows.length, ...follow({ kind, now: now.map(asMove), moves: past, windows: windowsOf(figure, from, span.to, setting.organisation.zone) }) }
}

/** The days that a figure's window took in, from each midnight of a span on. */
function windowsOf({ within }: TableFigure, from: Date, to: Date, zone: string) {
  if (!within) return []
  const windows = [{ from, days: daysWithin(within, from, zone) }]
  for (let at = startOfDay(dayFrom(from, 1, zone), zone); at <= to; at = startOfDay(dayFrom(at, 1, zone), zone)) windows.push({ from: at, days: daysWithin(within, at, zone) })
  return windows
}
