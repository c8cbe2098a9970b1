import type { Figure } from '@/core/document/figure'
import type { FigureSetting } from '@/core/figures/sql'
import { asJson, fieldsRead, figureRowSql } from '@/core/figures/sql'
import type { Days } from '@/core/figures/window'
import { must } from '@/core/must'
import { many, type Queryable, quote, tableName, touch } from '../database'
import { logOf } from '../log'
import { type LogSource, logSource } from '../log-source'
import { type KeptFigure, listKept } from './definitions'

/** Every figure, and whether its table has changes that some figure of it has not seen. */
export async function figuresToLookAt(db: Queryable): Promise<{ figure: KeptFigure; isBehind: boolean }[]> {
  const all = await listKept(db)
  if (all.length === 0) return []
  const tables = [...new Set(all.map((f) => f.definition.table))]
  const params: unknown[] = []
  const questions = tables.map((table) => {
    const seen = all.filter((f) => f.definition.table === table).map((f) => partsOf(f.seen))
    const least = seen.map((s) => BigInt(s.xmax)).sort((a, b) => (a < b ? -1 : 1))[0]
    const running = [...new Set(seen.flatMap((s) => s.running))]
    const [from, open] = [`$${params.push(String(least))}`, `$${params.push(running)}`]
    return `select ${params.push(table) && `$${params.length}`}::text as tbl where exists (select from ${logOf(table)} c where (c.xid >= ${from}::xid8 or c.xid = any(${open}::xid8[])) and pg_visible_in_snapshot(c.xid, pg_current_snapshot()))`
  })
  const changed = new Set((await many<{ tbl: string }>(db, questions.join(' union all '), params)).map((r) => r.tbl))
  return all.map((figure) => ({ figure, isBehind: changed.has(figure.definition.table) }))
}

/** The parts of a pg_snapshot's text. Source: PostgreSQL 15, 9.26.8 (xmin:xmax:xip_list). */
function partsOf(snapshot: string): { xmax: string; running: string[] } {
  const [, xmax = '', running = ''] = snapshot.split(':')
  return { xmax, running: running.split(',').filter(Boolean) }
}

/** Transactions that are in no figure yet, between what one has seen and a snapshot. */
export interface Unseen {
  /** What is seen when these are folded in: a pg_snapshot, as text. */
  readonly until: string
  /** How SQL over the log as `c` says that a change is one of them; parameters from `$1` on. */
  readonly where: string
  readonly params: readonly unknown[]
  /** The one transaction that it is, where it is one. */
  readonly xid?: string
}

/** Transactions that are folded in without counting their changes first. */
const FEW = 100n

/** Changes that are folded in at once, about. */
const AT_ONCE = 50_000

/** The transactions that a figure has not seen yet, at most about so many changes of them; null where there is none. */
export async function unseen(db: Queryable, { definition, seen, now }: KeptFigure & { readonly now: string }): Promise<Unseen | null> {
  if (now === seen) return null
  const { xmax, running } = partsOf(seen)
  const { xmax: until, running: stillRunning } = partsOf(now)
  const where = '(c.xid >= $1::xid8 and c.xid < $2::xid8 or c.xid = any($3::xid8[])) and pg_visible_in_snapshot(c.xid, $4::pg_snapshot)'
  const params = [xmax, until, running, now]
  if (BigInt(until) < BigInt(xmax)) return null // another moved it in between
  if (BigInt(until) - BigInt(xmax) < FEW) return { until: now, where, params }
  const counted = await many<{ xid: string; count: number }>(
    db,
    `select xid::text as xid, sum(n) over (order by xid)::int as count from (select xid, count(*) as n from (select c.xid from ${logOf(definition.table)} c where ${where} order by c.xid limit ${4 * AT_ONCE}) c group by xid) x order by xid`,
    params,
  )
  if (counted.length === 0) return { until: now, where: 'false', params: [] }
  const cut = counted.find((r, i) => r.count >= AT_ONCE && i < counted.length - 1)
  if (!cut) return { until: now, where, params }
  // up to a transaction, and never less than what was looked at before: the snapshot that sees just those
  const beyond = BigInt(cut.xid) < BigInt(xmax) ? xmax : String(BigInt(cut.xid) + 1n)
  const open = stillRunning.filter((x) => BigInt(x) < BigInt(beyond))
  return { until: `${open[0] ?? beyond}:${beyond}:${open.join(',')}`, where, params: [xmax, beyond, params[2], now] }
}

/** Whether a figure has changes to fold in. */
export async function unseenRows(db: Queryable, kept: KeptFigure & { readonly now: string }): Promise<boolean> {
  const range = await unseen(db, kept)
  if (!range || range.where === 'false') return false
  return (await many(db, `select 1 from ${logOf(kept.definition.table)} c where ${range.where} limit 1`, [...range.params])).length > 0
}

/** The transactions of a range one by one, in the order in which each made its last change. */
export async function transactionsIn(db: Queryable, { definition }: KeptFigure, range: Unseen): Promise<Unseen[]> {
  if (range.where === 'false') return []
  const rows = await many<{ xid: string }>(db, `select c.xid::text as xid from ${logOf(definition.table)} c where ${range.where} group by c.xid order by max(c.id)`, [
    ...range.params,
  ])
  return rows.map(({ xid }) => ({ ...range, where: `${range.where} and c.xid = $${range.params.length + 1}::xid8`, params: [...range.params, xid], xid }))
}

/** What one transaction moved of a group; `n` and `total` within the window alone. */
export interface GroupMove {
  readonly xid: string | null
  /** The last change of the transaction that moved it. */
  readonly id: number
  readonly grp: string
  readonly n: number
  readonly total: string
}

/** SQL of what changes move of a figure: rows `xid, id, at, grp, day, val, n, amount`, groups and values as their columns hold them. */
export function movesSql(figure: Figure, source: LogSource, setting: FigureSetting, where: string, bind: (value: unknown, type: string) => string): string {
  const table = must(setting.schema.get(figure.table))
  const names = { quote, table: tableName }
  const after = figureRowSql(figure, table, setting, names, source.after(false), bind)
  const before = figureRowSql(figure, table, setting, names, source.before, bind)
  const cue = { kind: 'record' as const, on: ['created' as const, 'changed' as const, 'deleted' as const], fields: fieldsRead(figure).filter((f) => f !== 'id') }
  const waited = cue.fields.length ? source.waitedFor(cue, (value) => bind(value, 'text[]')) : `c.kind <> 'changed'`
  const side = (row: typeof after, sign: 1 | -1, kind: string) =>
    `select c.xid, c.id, c.at, ${row.group} as grp, ${row.day} as day, ${row.value} as val, ${sign} as n, coalesce(${sign} * (${row.amount}), 0)::numeric as amount
       from ${source.from} where ${where} and ${waited} and c.kind <> '${kind}' and ${row.counts}`
  return `${side(after, 1, 'deleted')} union all ${side(before, -1, 'created')}`
}

/** Folds changes into the parts of a figure, and answers what moved, in order: by transaction, or, where that is of no matter, all in one. */
export async function foldIn(db: Queryable, kept: KeptFigure, setting: FigureSetting, range: Unseen, days: Days | null, byTransaction: boolean): Promise<GroupMove[]> {
  if (range.where === 'false') return []
  const { definition: figure, id } = kept
  const source = await logSource(db, figure.table)
  const params: unknown[] = [...range.params]
  const bind = (value: unknown, type: string) => `$${params.push(value)}::${type}`
  const moves = movesSql(figure, source, setting, range.where, bind)
  const own = bind(id, 'bigint')
  const inside = days ? `filter (where day between ${bind(days.from, 'date')} and ${bind(days.to, 'date')})` : ''
  const xid = byTransaction ? 'xid' : 'null::xid8'
  return many<GroupMove>(
    db,
    `with moved as (select xid, id, ${asJson('grp')} as grp, day, ${asJson('val')} as val, n, total from (
            select ${xid} as xid, max(id) as id, grp, day, val, sum(n)::bigint as n, sum(amount) as total from (${moves}) m group by 1, grp, day, val having sum(n) <> 0 or sum(amount) <> 0) r),
          kept as (insert into rappel.figure_part as p (figure, grp, day, val, n, total) select ${own}, grp, day, val, sum(n), sum(total) from moved group by grp, day, val
                   on conflict (figure, grp, day, val) do update set n = p.n + excluded.n, total = p.total + excluded.total),
          grouped as (select xid, max(id) as id, grp, coalesce(sum(n) ${inside}, 0)::bigint as n, coalesce(sum(total) ${inside}, 0) as total from moved group by xid, grp)
     select xid::text as xid, max(id) over (partition by xid) as id, grp::text as grp, n, total::text as total from grouped order by max(id) over (partition by xid), xid, grp`,
    params,
  )
}

/** Drops parts that nothing is left of. */
export async function dropEmptyParts(db: Queryable, id: number, groups: readonly string[]): Promise<void> {
  await touch(db, 'delete from rappel.figure_part where figure = $1 and grp = any($2::jsonb[]) and n = 0 and total = 0', [id, groups])
}
