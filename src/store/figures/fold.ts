import { isComputed } from '@/core/document/figure'
import type { FigureSetting } from '@/core/figures/sql'
import { asJson } from '@/core/figures/sql'
import type { Days } from '@/core/figures/window'
import { must } from '@/core/must'
import { many, type Queryable, touch } from '../database'
import { standsIn } from '../log'
import { listKept } from './definitions'
import { movesSql, type Reach, tablesRead } from './moves'
import type { KeptFigure, KeptTableFigure } from './rows'

/** Every figure, and whether tables that it reads have changes that some figure over them has not seen. */
export async function figuresToLookAt(db: Queryable, setting: FigureSetting): Promise<{ figure: KeptFigure; isBehind: boolean }[]> {
  const all = await listKept(db)
  if (all.length === 0) return []
  const reading = new Map(all.map((figure) => [figure, logsOf(figure, setting)]))
  const params: unknown[] = []
  const questions = [...new Set([...reading.values()].flat())].map((log) => {
    const seen = all.filter((f) => reading.get(f)?.includes(log)).map((f) => partsOf(f.seen))
    const least = seen.map((s) => BigInt(s.xmax)).sort((a, b) => (a < b ? -1 : 1))[0]
    const running = [...new Set(seen.flatMap((s) => s.running))]
    const [from, open] = [`$${params.push(String(least))}`, `$${params.push(running)}`]
    return `select ${params.push(log) && `$${params.length}`}::text as log where exists (select from ${log} c where (c.xid >= ${from}::xid8 or c.xid = any(${open}::xid8[])) and pg_visible_in_snapshot(c.xid, rappel.snapshot()))`
  })
  if (questions.length === 0) return all.map((figure) => ({ figure, isBehind: false }))
  const changed = new Set((await many<{ log: string }>(db, questions.join(' union all '), params)).map((r) => r.log))
  return all.map((figure) => ({ figure, isBehind: (reading.get(figure) ?? []).some((log) => changed.has(log)) }))
}

/** Where the changes stand that move a figure by itself, as SQL names it; nowhere for one that is worked out from others. */
function logsOf({ definition }: KeptFigure, { schema }: FigureSetting): string[] {
  const table = isComputed(definition) ? undefined : schema.get(definition.table)
  return table && !isComputed(definition) ? tablesRead(definition, table).map((name) => standsIn(must(schema.get(name)))) : []
}

/** The parts of a pg_snapshot's text. Source: PostgreSQL 15, 9.26.8 (xmin:xmax:xip_list). */
function partsOf(snapshot: string): { xmin: string; xmax: string; running: string[] } {
  const [xmin = '', xmax = '', running = ''] = snapshot.split(':')
  return { xmin, xmax, running: running.split(',').filter(Boolean) }
}

/** Transactions that are in no figure yet, between what one has seen and a snapshot. */
export interface Unseen {
  /** What was seen before, and what is when these are folded in: pg_snapshots, as text. */
  readonly since: string
  readonly until: string
  /** Where the changes stand that move the figure, as SQL names it. */
  readonly logs: readonly string[]
  /** Whether nothing of it is in the logs. */
  readonly isEmpty: boolean
  /** The one transaction that it is, where it is one. */
  readonly xid?: string
}

/** How SQL says, over a log as `c`, which changes are in a range, with its parameters bound. */
export function reachOf({ since, until, xid }: Unseen, bind: (value: unknown, type: string) => string): Reach {
  const { xmin, xmax, running } = partsOf(since)
  const now = bind(until, 'pg_snapshot')
  const [from, to, open] = [bind(xmax, 'xid8'), bind(partsOf(until).xmax, 'xid8'), bind(running, 'xid8[]')]
  let seen: string | undefined
  let first: string | undefined
  const one = xid === undefined ? '' : ` and c.xid = ${bind(xid, 'xid8')}`
  // where transactions are folded in one by one, those of the range that come after the one are not done yet, which their place in the log says
  return {
    where: `(c.xid >= ${from} and c.xid < ${to} or c.xid = any(${open})) and pg_visible_in_snapshot(c.xid, ${now})${one}`,
    undone: (place) => {
      seen ??= bind(since, 'pg_snapshot')
      first ??= bind(xmin, 'xid8')
      return `c.xid >= ${first} and not pg_visible_in_snapshot(c.xid, ${seen}) and (c.id > ${place} or not pg_visible_in_snapshot(c.xid, ${now}))`
    },
  }
}

/** Transactions that are folded in without counting their changes first. */
const FEW = 100n

/** Changes that are folded in at once, about. */
const AT_ONCE = 50_000

/** The transactions between what a figure has seen and a snapshot, at most about so many changes of them; null where there is none. */
export async function unseen(db: Queryable, kept: KeptTableFigure, until: string, setting: FigureSetting): Promise<Unseen | null> {
  const { seen: since } = kept
  if (until === since) return null
  const { xmax } = partsOf(since)
  const { xmax: end, running: stillRunning } = partsOf(until)
  if (BigInt(end) < BigInt(xmax)) return null // another moved it in between
  const whole = { since, until, logs: logsOf(kept, setting), isEmpty: false }
  if (BigInt(end) - BigInt(xmax) < FEW || !(await areMany(db, whole))) return whole
  const counted = await transactionsOf(db, whole, 4 * AT_ONCE)
  if (counted.length === 0) return { ...whole, isEmpty: true }
  const cut = cutOf(counted)
  if (!cut) return whole
  // up to a transaction, and never less than what was looked at before: the snapshot that sees just those
  const beyond = BigInt(cut.xid) < BigInt(xmax) ? xmax : String(BigInt(cut.xid) + 1n)
  const open = stillRunning.filter((x) => BigInt(x) < BigInt(beyond))
  return { ...whole, until: `${open[0] ?? beyond}:${beyond}:${open.join(',')}` }
}

/** Whether a range has more changes than are folded in at once. */
async function areMany(db: Queryable, range: Unseen): Promise<boolean> {
  const params: unknown[] = []
  const { where } = reachOf(range, (value, type) => `$${params.push(value)}::${type}`)
  const rows = range.logs.map((log) => `(select 1 from ${log} c where ${where} offset ${AT_ONCE} limit 1)`)
  return (await many(db, rows.join(' union all '), params)).length > 0
}

/** The transaction up to which changes are folded in at once; undefined where all of them are. */
function cutOf(counted: readonly { readonly xid: string; readonly n: number }[]): { readonly xid: string } | undefined {
  const inOrder = [...counted].sort((a, b) => (BigInt(a.xid) < BigInt(b.xid) ? -1 : 1))
  let sum = 0
  for (const one of inOrder.slice(0, -1)) {
    sum += one.n
    if (sum >= AT_ONCE) return one
  }
  return undefined
}

/** The transactions of a range, in the order in which each made its last change, and how many changes each made. */
async function transactionsOf(db: Queryable, range: Unseen, most: number | null): Promise<{ xid: string; n: number }[]> {
  const params: unknown[] = []
  const { where } = reachOf(range, (value, type) => `$${params.push(value)}::${type}`)
  const limit = most === null ? '' : ` order by c.xid limit ${most}`
  const rows = range.logs.map((log) => `(select c.xid, c.id from ${log} c where ${where}${limit})`)
  return many(db, `select xid::text as xid, count(*)::int as n from (${rows.join(' union all ')}) c group by xid order by max(id)`, params)
}

/** Whether a figure has changes to fold in. */
export async function unseenRows(db: Queryable, kept: KeptTableFigure, until: string, setting: FigureSetting): Promise<boolean> {
  const range = await unseen(db, kept, until, setting)
  return range !== null && !range.isEmpty && (await transactionsOf(db, range, 1)).length > 0
}

/** The transactions of a range one by one, in the order in which each made its last change. */
export async function transactionsIn(db: Queryable, range: Unseen): Promise<Unseen[]> {
  return range.isEmpty ? [] : (await transactionsOf(db, range, null)).map(({ xid }) => ({ ...range, xid }))
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

/** Folds changes into the parts of a figure, and answers what moved, in order: by transaction, or, where that is of no matter, all in one. */
export async function foldIn(db: Queryable, kept: KeptTableFigure, setting: FigureSetting, range: Unseen, days: Days | null, byTransaction: boolean): Promise<GroupMove[]> {
  if (range.isEmpty) return []
  const { definition: figure, id } = kept
  const params: unknown[] = []
  const bind = (value: unknown, type: string) => `$${params.push(value)}::${type}`
  const moves = await movesSql(db, figure, setting, reachOf(range, bind), bind)
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
