import type { Pool } from 'pg'
import { figuresGroupedBy } from '@/core/figures/of-table'
import { NOWHERE } from '@/core/paths/rename'
import type { Schema } from '@/core/values/tables'
import { many, maybeOne, one, type Queryable, quote, touch, transaction } from '../database'
import { markOutdated } from '../figures/definitions'
import { logOf } from '../log'
import { type Documents, mentionsIn } from './mentions'
import { renameInViews, rewrite } from './rename'

/** A field whose choices are called otherwise from now on, by what they were called. */
export interface ChoicesRenamed {
  readonly table: string
  readonly field: string
  readonly choices: ReadonlyMap<unknown, string>
}

/** Changes of a table that a statement goes through. */
const A_BATCH = 20_000

/** Changes of a table, the newest, in which its choices get their new names; what is older keeps the old ones. */
const MOST_RENAMED = 2_000_000

/**
 * Renames choices in the transaction in which records get their new names: in documents and views, in what is still to be handled, and where groups of figures are called by them; figures that speak
 * of the field are to be worked out anew. `note` is what versions say of it.
 */
export async function renameChoices(
  db: Queryable,
  renamed: ChoicesRenamed,
  { schema, documents }: { schema: Schema; documents: Documents },
  note: string,
  by: number | null,
): Promise<void> {
  const { table, field, choices } = renamed
  const own = { schema, table, from: field, to: field }
  await rewrite(db, mentionsIn(documents, { ...own, choices }), note, by)
  await renameInViews(db, { ...own, choices })
  await renameInQueued(db, renamed)
  await renameInGroups(db, renamed, schema)
  await outdateFigures(db, renamed, { schema, documents })
}

/** Has every figure that speaks of a field be worked out anew. */
export function outdateFigures(
  db: Queryable,
  { table, field }: Pick<ChoicesRenamed, 'table' | 'field'>,
  { schema, documents }: { schema: Schema; documents: Documents },
): Promise<number> {
  const { figures } = mentionsIn(documents, { schema, table, from: field, to: NOWHERE })
  return markOutdated(
    db,
    figures.map((figure) => figure.was.name),
  )
}

/** In what is still to be handled, so that workflows that speak of them by their new names meet them. */
async function renameInQueued(db: Queryable, renamed: ChoicesRenamed): Promise<void> {
  const { first } = await one<{ first: number | null }>(db, 'select min(change_id) as first from rappel.queue where tbl = $1', [renamed.table])
  if (first !== null) await renameBetween(db, renamed, first, null)
}

/** Where groups of figures are called by them: in what is kept of figures hour by hour, and in what timetables noted as having fitted. */
export async function renameInGroups(db: Queryable, { table, field, choices }: ChoicesRenamed, schema: Schema): Promise<void> {
  const own = schema.get(table)?.fields.find((f) => f.name === field)
  const params = [[...choices.keys()], [...choices.values()], figuresGroupedBy(schema, own).map((figure) => figure.name)]
  const renamed = 'unnest($1::text[], $2::text[]) m (was, becomes)'
  await touch(
    db,
    `update rappel.figure_hour h set grp = to_jsonb(m.becomes) from rappel.figure f, ${renamed} where f.id = h.figure and f.name = any ($3) and h.grp = to_jsonb(m.was)
        and not exists (select from rappel.figure_hour e where e.figure = h.figure and e.hour = h.hour and e.grp = to_jsonb(m.becomes))`,
    params,
  )
  const key = (name: string) => `to_jsonb(to_jsonb(m.${name})::text)`
  await touch(
    db,
    `update rappel.fitted t set rec = ${key('becomes')} from rappel.workflow_version v, ${renamed}
      where v.workflow = t.workflow and v.version = t.version and v.document -> 'cue' -> 'over' ->> 'figure' = any ($3) and t.rec = ${key('was')}
        and not exists (select from rappel.fitted e where e.workflow = t.workflow and e.version = t.version and e.rec = ${key('becomes')})`,
    params,
  )
}

/** Renames choices in the changes that were recorded, from the newest on, some at a time: so that what is rehearsed and looked back at knows them by their new names. */
export async function renameInLog(pool: Pool, renamed: ChoicesRenamed): Promise<void> {
  let below: number | null = null
  for (let done = 0; done < MOST_RENAMED; done += A_BATCH) {
    const from: number | null = await firstOfBatch(pool, renamed.table, below)
    const until = below
    await transaction(pool, (db) => renameBetween(db, renamed, from ?? 0, until))
    if (from === null) break
    below = from
  }
  await pool.query('select rappel.next_generation()')
}

/** The number of the change with which a batch below another begins; null where nothing is left beyond it. */
async function firstOfBatch(db: Queryable, table: string, below: number | null): Promise<number | null> {
  const row = await maybeOne<{ id: number }>(db, `select id from ${logOf(table)} where $1::bigint is null or id < $1 order by id desc offset ${A_BATCH - 1} limit 1`, [below])
  return row?.id ?? null
}

async function renameBetween(db: Queryable, { table, field, choices }: ChoicesRenamed, from: number, below: number | null): Promise<void> {
  const params = [[...choices.keys()], [...choices.values()], from, below]
  const is = (value: string) => `coalesce(($2::text[])[array_position($1::text[], ${value})], ${value})`
  const stems = await many<{ stem: string }>(db, 'select stem from rappel.log_column where tbl = $1 and field = $2 and until is null', [table, field])
  for (const { stem } of stems) {
    const [before, after] = [quote(`b_${stem}`), quote(`a_${stem}`)]
    await touch(
      db,
      `update ${logOf(table)} set ${before} = ${is(before)}, ${after} = ${is(after)}
        where id >= $3 and ($4::bigint is null or id < $4) and (${before} = any ($1::text[]) or ${after} = any ($1::text[]))`,
      params,
    )
  }
  await renameInImages(db, { table, field, choices }, from, below)
}

/** Renames values in the changes that are kept as images, between two numbers. */
export async function renameInImages(db: Queryable, { table, field, choices }: ChoicesRenamed, from: number, below: number | null): Promise<void> {
  const is = (value: string) => `coalesce(($2::text[])[array_position($1::text[], ${value})], ${value})`
  const image = (side: string) => `case when ${side} ->> $5 = any ($1::text[]) then jsonb_set(${side}, array[$5], to_jsonb(${is(`${side} ->> $5`)})) else ${side} end`
  await touch(
    db,
    `update rappel.change_json set before = ${image('before')}, after = ${image('after')}
      where tbl = $6 and id >= $3 and ($4::bigint is null or id < $4) and (before ->> $5 = any ($1::text[]) or after ->> $5 = any ($1::text[]))`,
    [[...choices.keys()], [...choices.values()], from, below, field, table],
  )
}
