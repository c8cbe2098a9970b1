import { many, type Queryable } from './database'

/** A month of a table's log, as SQL names it. */
export interface LogPart {
  readonly part: string
  readonly tbl: string
}

/** Parts of logs that are read in one statement: to plan the reading of more takes more than to ask again. */
const AT_ONCE = 250

/**
 * The parts of all tables' logs in which changes of a span of time may be, or of any, those that are empty left out: whoever looks for a change by its number or its transaction asks these, since to plan
 * the reading of the logs of some hundred tables through a view takes longer than the reading.
 */
export function partsOfLogs(db: Queryable, span?: { readonly from: Date; readonly to: Date }): Promise<LogPart[]> {
  return many<LogPart>(
    db,
    `with known as materialized (
       select c.oid, c.relname, o.tbl from pg_class c join rappel.log_of o on o.number = split_part(c.relname, '_', 2)::int
        where c.relnamespace = 'rappel'::regnamespace and c.relispartition and c.relkind = 'r' and c.relname ~ '^log_\\d+_(other|\\d{4}_\\d\\d)$'
          and ($1::timestamptz is null or c.relname like '%\\_other'
               or right(c.relname, 7) between to_char($1::timestamptz at time zone 'UTC', 'YYYY_MM') and to_char($2::timestamptz at time zone 'UTC', 'YYYY_MM')))
     select format('rappel.%I', relname) as part, tbl from known where pg_relation_size(oid) > 0 order by right(relname, 7) desc, oid`,
    [span?.from ?? null, span?.to ?? null],
  )
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
