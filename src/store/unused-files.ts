import type { Schema } from '@/core/values/tables'
import { many, type Queryable, quote, touch, unquoted } from './database'
import { logOf } from './log'

/** Numbers in JSON, any of which may be a file's, as SQL. */
const numbersIn = (json: string, path: string) => `select (v #>> '{}')::numeric from jsonb_path_query(${json}, '${path} ? (@.type() == "number")') v`

/** What speaks of files, whatever the tables are: the library, mail that carries them, and examples of workflows that have records as they stood. */
const ALWAYS = [
  'select file::numeric from rappel.library_file',
  `select (a ->> 'file')::numeric from rappel.message m cross join jsonb_array_elements(case jsonb_typeof(m.attachments) when 'array' then m.attachments else '[]' end) a where m.attachments is not null`,
  `select n.* from rappel.workflow w cross join lateral (${numbersIn('w.draft::jsonb', '$.examples.**')}) n`,
  `select n.* from rappel.workflow_version v join rappel.workflow w on w.id = v.workflow and w.version = v.version cross join lateral (${numbersIn('v.document::jsonb', '$.examples.**')}) n`,
]

/** What speaks of files in records and in what is recorded of them, as SQL. */
async function inRecords(db: Queryable, schema: Schema): Promise<string[]> {
  const found: string[] = []
  for (const table of schema.values()) {
    const files = table.fields.filter((f) => f.type === 'file').map((f) => f.name)
    if (!table.attached) for (const name of files) found.push(`select ${quote(name)}::numeric from data.${quote(table.name)} where ${quote(name)} is not null`)
    for (const side of ['before', 'after'])
      for (const name of files)
        found.push(
          `select (${side} ->> '${unquoted(name)}')::numeric from rappel.change_json where tbl = '${unquoted(table.name)}' and ${side} ->> '${unquoted(name)}' ~ '^[0-9]{1,18}$'`,
        )
    // of fields that are gone too, which may have been of files
    const columns = await many<{ stem: string }>(
      db,
      `select c.stem from rappel.log_column c where c.tbl = $1 and c.type = 'bigint' and (c.until is not null or c.field = any($2)) and to_regclass(rappel.log_name($1)::text) is not null`,
      [table.name, files],
    )
    for (const { stem } of columns) for (const side of ['a_', 'b_']) found.push(`select ${quote(side + stem)} from ${logOf(table.name)} where ${quote(side + stem)} is not null`)
  }
  return found
}

/**
 * Notes since when nothing speaks of a file any more, no record, change, mail or example, and lets go of those of which nothing has for so many days, for links in mail may lead to them as
 * long. To be called within a transaction. How many files.
 */
export async function dropUnusedFiles(db: Queryable, schema: Schema, days: number): Promise<number> {
  const isOver = `unused_since < now() - make_interval(days => $1)`
  // whoever is about to put one into a record has it locked, or waits for this
  const over = await many<{ id: number }>(db, `select id from rappel.file where ${isOver} order by id limit 500 for update`, [days])
  await touch(
    db,
    `with used as materialized (select distinct id from (${[...ALWAYS, ...(await inRecords(db, schema))].join(' union all ')}) u (id))
     update rappel.file f set unused_since = case when u.id is null then now() end
       from rappel.file g left join used u on u.id = g.id where f.id = g.id and (u.id is null) = (g.unused_since is null)`,
  )
  return touch(db, `delete from rappel.file where id = any($2::bigint[]) and ${isOver}`, [days, over.map((f) => f.id)])
}
