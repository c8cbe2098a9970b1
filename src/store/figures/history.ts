import type { Pool } from 'pg'
import type { Figure } from '@/core/document/figure'
import { measureOf } from '@/core/document/figure'
import { type Followed, follow, type PastMove } from '@/core/figures/history'
import { Exact, isAdditive } from '@/core/figures/parts'
import type { FigureSetting } from '@/core/figures/sql'
import { asJson } from '@/core/figures/sql'
import { daysWithin } from '@/core/figures/window'
import { must } from '@/core/must'
import { dayFrom, startOfDay } from '@/core/values/dates'
import { many, transaction } from '../database'
import type { Span } from '../history'
import { logSource } from '../log-source'
import { movesSql } from './fold'
import { partsSql } from './parts'

/** Moves that a figure is followed by; where there are more, only the newest, and its history begins with them. */
const MOST_MOVES = 300_000

/** A figure's past, worked out from the log. */
export interface FigurePast extends Followed {
  /** From when on it is known; later than asked for where the log reaches no further, or there is too much of it. */
  readonly from: Date
  readonly moves: number
}

/** Follows a figure, or a draft of one, over a span that ends now, from the log and the table at one snapshot. */
export async function followFigure(pool: Pool, figure: Figure, setting: FigureSetting, span: Span, most = MOST_MOVES): Promise<FigurePast> {
  return transaction(
    pool,
    async (client) => {
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
      const moves = movesSql(figure, await logSource(client, figure.table), setting, 'c.at >= $1', (value, type) => `$${own.push(value)}::${type}`)
      const rows = await many<{ id: number; at: Date; grp: string; day: string; val: string; n: number; total: string }>(
        client,
        `select max(id) over (partition by xid) as id, max(at) over (partition by xid) as at, ${asJson('grp')}::text as grp, day::text as day, ${asJson('val')}::text as val, n, total::text as total from (
           select xid, max(id) as id, max(at) as at, grp, ${day} as day, ${apartBy} as val, sum(n)::int as n, sum(amount) as total from (${moves}) m group by 1, 4, 5, 6 having sum(n) <> 0 or sum(amount) <> 0
            order by max(id) desc limit ${most + 1}) x order by 1, grp`,
        own,
      )
      const kept = rows.length > most ? rows.slice(rows.length - most) : rows
      const from = rows.length > most ? must(kept[0]).at : span.from
      const asMove = ({ grp, day: on, val: value, n, total }: (typeof now)[number]) => ({ grp, day: on, value, n, total: new Exact(apart || kind !== 'count' ? total : 0) })
      const past = kept.map((r): PastMove => ({ ...asMove(r), change: r.id, at: r.at }))
      return { from, moves: rows.length, ...follow({ kind, now: now.map(asMove), moves: past, windows: windowsOf(figure, from, span.to, setting.organisation.zone) }) }
    },
    'repeatable read, read only',
  )
}

/** The days that a figure's window took in, from each midnight of a span on. */
function windowsOf({ within }: Figure, from: Date, to: Date, zone: string) {
  if (!within) return []
  const windows = [{ from, days: daysWithin(within, from, zone) }]
  for (let at = startOfDay(dayFrom(from, 1, zone), zone); at <= to; at = startOfDay(dayFrom(at, 1, zone), zone)) windows.push({ from: at, days: daysWithin(within, at, zone) })
  return windows
}
