import { many, type Queryable } from './database'

/** A month of a table's log, as SQL names it. */
export interface LogPart {
  readonly part: string
  readonly tbl: string
}

/** Parts of logs that are read in one statement: to plan the reading of more takes more than to ask again. */
const AT_ONCE = 250

/** Every part of a table's log, and the month that it is of, as `2026_11`; `other` is that of whatever no month was ready for. */
const PARTS = `select c.oid, c.relname, o.tbl, case when c.relname like '%\\_other' then 'other' else right(c.relname, 7) end as month
   from rappel.log_of o join pg_class l on l.relname = o.tbl and l.relnamespace = 'rappel_log'::regnamespace
   join pg_inherits i on i.inhparent = l.oid join pg_class c on c.oid = i.inhrelid`

/** The months that a span of time has to do with, in UTC, as parts are called after them. */
function monthsOf({ from, to }: { readonly from: Date; readonly to: Date }): string[] {
  const months: string[] = []
  for (let at = new Date(Date.UTC(from.getUTCFullYear(), from.getUTCMonth(), 1)); at <= to; at.setUTCMonth(at.getUTCMonth() + 1))
    months.push(at.toISOString().slice(0, 7).replace('-', '_'))
  return months
}

/**
 * The parts of all tables' logs in which changes of a span of time may be, or of any, those that are empty left out: whoever looks for a change by its number or its transaction asks these, since to plan
 * the reading of the logs of some hundred tables through a view takes longer than the reading. Of a span they are looked up by their names, not among all.
 */
export function partsOfLogs(db: Queryable, span?: { readonly from: Date; readonly to: Date }): Promise<LogPart[]> {
  const known = span
    ? `select c.oid, c.relname, o.tbl, m.month from rappel.log_of o cross join unnest($1::text[]) m (month)
         join pg_class c on c.relname = ('log_' || o.number || '_' || m.month)::name and c.relnamespace = 'rappel'::regnamespace`
    : PARTS
  return many<LogPart>(
    db,
    `with known as materialized (${known}) select format('rappel.%I', relname) as part, tbl from known where pg_relation_size(oid) > 0 order by month desc, oid`,
    span ? [['other', ...monthsOf(span)]] : [],
  )
}

/** The parts of all tables' logs by their months, the newest first; before them those of no month. What is empty is among them. */
export async function partsByMonth(db: Queryable): Promise<LogPart[][]> {
  const rows = await many<LogPart & { month: string }>(db, `select format('rappel.%I', relname) as part, tbl, month from (${PARTS}) p order by month desc, oid`)
  const months = new Map<string, LogPart[]>()
  for (const { month, ...part } of rows) {
    const known = months.get(month)
    if (known) known.push(part)
    else months.set(month, [part])
  }
  return [...months.values()]
}

/** Those of some parts that are not empty. */
export async function filledOf(db: Queryable, parts: readonly LogPart[]): Promise<LogPart[]> {
  const filled = await many<{ place: number }>(db, 'select p.place from unnest($1::text[]) with ordinality p (part, place) where pg_relation_size(to_regclass(p.part)) > 0', [
    parts.map(({ part }) => part),
  ])
  const places = new Set(filled.map(({ place }) => place - 1))
  return parts.filter((_, i) => places.has(i))
}

/** Rows of a question asked of each part, and of the images of a time before logs were typed: `ask` says it of one, and `params` are its. */
export async function askParts<T>(db: Queryable, parts: readonly LogPart[], ask: (from: string, tbl: string | null) => string, params: unknown[]): Promise<T[]> {
  const found: T[] = []
  const questions = [...parts.map(({ part, tbl }) => ask(part, tbl)), ask('rappel.change_json', null)]
  for (let at = 0; at < questions.length; at += AT_ONCE)
    found.push(
      ...(await many<T>(
        db,
        questions
          .slice(at, at + AT_ONCE)
          .map((question) => `(${question})`)
          .join(' union all '),
        params,
      )),
    )
  return found
}
