import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import type { PoolClient } from 'pg'
import { from as copyFrom } from 'pg-copy-streams'
import { givesIds } from '@/core/values/parse'
import type { Stored, TableDef } from '@/core/values/tables'
import { many, one, type Queryable, quote, tableName, touch } from '../database'

/** Rows of a file wait in a table of the transaction's own until they are all there. */
const STAGE = 'pg_temp.rappel_stage'

/** A row about to be staged: its number in the file, and a value for each field, in order. */
export interface StagedRow {
  readonly row: number
  readonly values: readonly Stored[]
}

/** Makes room for rows with some of a table's columns, in their types, until the transaction ends. */
export async function makeStage(db: Queryable, table: TableDef, fields: readonly string[]): Promise<void> {
  const columns = fields.map((f) => `, t.${quote(f)}`).join('')
  await db.query(`create temp table rappel_stage on commit drop as select 0::bigint as row_of_file${columns} from ${tableName(table.name)} t with no data`)
}

const ESCAPES: Readonly<Record<string, string>> = { '\\': '\\\\', '\n': '\\n', '\r': '\\r', '\t': '\\t' }

/** A value as COPY reads it (PostgreSQL, "COPY", text format). */
function copied(value: Stored): string {
  if (value === null) return '\\N'
  return typeof value === 'string' ? value.replaceAll(/[\\\n\r\t]/g, (c) => ESCAPES[c] ?? c) : String(value)
}

/** How many rows go to the database in one piece. */
const IN_A_PIECE = 500

/** Stages rows as they come, however many. @throws Error of the database, or of whoever gives the rows */
export async function fillStage(db: PoolClient, fields: readonly string[], rows: AsyncIterable<StagedRow>): Promise<void> {
  const stream = db.query(copyFrom(`copy ${STAGE} (row_of_file${fields.map((f) => `, ${quote(f)}`).join('')}) from stdin`))
  async function* pieces() {
    let lines: string[] = []
    for await (const { row, values } of rows) {
      lines.push(`${row}${values.map((v) => `\t${copied(v)}`).join('')}\n`)
      if (lines.length < IN_A_PIECE) continue
      yield lines.join('')
      lines = []
    }
    if (lines.length) yield lines.join('')
  }
  await pipeline(Readable.from(pieces()), stream)
  await db.query(`create index on ${STAGE} (row_of_file)`)
  await db.query(`analyze ${STAGE}`)
}

/** Rows of the stage that do not tell which record is meant, with why: whose key another row before has, or several records, or, where it is an id that is not given by hand, none. They are taken out. */
export async function takeOutAmbiguous(db: Queryable, table: TableDef, key: string): Promise<{ row: number; message: string }[]> {
  const column = quote(key)
  const isMadeUp = key === 'id' && !givesIds(table)
  await db.query(`create index on ${STAGE} (${column})`)
  return many<{ row: number; message: string }>(
    db,
    `with doubled as (select row_of_file, min(row_of_file) over (partition by ${column}) as first from ${STAGE} where ${column} is not null),
          several as (select s.row_of_file from ${STAGE} s join ${tableName(table.name)} t on t.${column} = s.${column} group by s.row_of_file having count(*) > 1),
          unknown as (select s.row_of_file from ${STAGE} s where ${isMadeUp ? `${column} is not null and not exists (select from ${tableName(table.name)} t where t.${column} = s.${column})` : 'false'}),
          wrong as (select row_of_file, 'Row ' || first || ' has the same one already.' as message from doubled where row_of_file <> first
                    union all select row_of_file, 'Several records have it, so that it is not known which is meant.' from several
                    union all select row_of_file, 'No record has this id, and new ones are given theirs.' from unknown),
          gone as (delete from ${STAGE} s using wrong where s.row_of_file = wrong.row_of_file)
     select row_of_file as row, min(message) as message from wrong group by row_of_file order by row_of_file`,
  )
}

/** How staged rows become records. */
export interface Merge {
  readonly table: TableDef
  readonly fields: readonly string[]
  /** The field by which rows find the records that they change; null: each creates one. */
  readonly key: string | null
  /** Whether it only tells what it would do: then automatic numbers are not used up. */
  readonly isForecast: boolean
}

/** Staged rows between two numbers, both included. */
export interface Between {
  readonly first: number
  readonly last: number
}

/** Changes and creates the records of staged rows. @throws Error of the database */
export async function mergeStage(
  db: Queryable,
  { table, fields, key, isForecast }: Merge,
  { first, last }: Between,
): Promise<{ created: number; changed: number; matched: number }> {
  const target = tableName(table.name)
  const params = [first, last]
  const range = 's.row_of_file between $1 and $2'
  const sets = fields.filter((f) => f !== key)
  let [changed, matched] = [0, 0]
  if (key !== null) {
    const column = quote(key)
    const met = `t.${column} = s.${column} and ${range}`
    matched = (await one<{ n: number }>(db, `select count(*)::int as n from ${STAGE} s join ${target} t on ${met}`, params)).n
    if (sets.length && matched > 0) {
      const list = (alias: string) => sets.map((f) => `${alias}.${quote(f)}`).join(', ')
      changed = await touch(
        db,
        `update ${target} t set ${sets.map((f) => `${quote(f)} = s.${quote(f)}`).join(', ')} from ${STAGE} s where ${met} and (${list('t')}) is distinct from (${list('s')})`,
        params,
      )
    }
  }
  const defaults = await defaultsOf(db, table, fields, isForecast)
  const isNew = key === null ? 'true' : `not exists (select from ${target} t where t.${quote(key)} = s.${quote(key)})`
  const own = isForecast ? [...defaults].filter(([field]) => !fields.includes(field)) : []
  const filled = fields.filter((f) => f !== 'id' || givesIds(table))
  const columns = [...filled, ...own.map(([field]) => field)]
  const created = await touch(
    db,
    `insert into ${target} (${columns.map(quote).join(', ')})
     select ${[...filled.map((f) => (defaults.has(f) ? `coalesce(s.${quote(f)}, ${defaults.get(f)})` : `s.${quote(f)}`)), ...own.map(([, value]) => value)].join(', ')}
       from ${STAGE} s where ${range} and ${isNew} order by s.row_of_file`,
    params,
  )
  return { created, changed, matched }
}

/** What changing and creating the records of all staged rows would come to, without doing it; rules of the table are not asked. */
export async function tellStage(db: Queryable, { table, fields, key }: Merge): Promise<{ created: number; changed: number; matched: number }> {
  if (key === null) return { created: (await one<{ n: number }>(db, `select count(*)::int as n from ${STAGE}`)).n, changed: 0, matched: 0 }
  const list = (alias: string) => fields.map((f) => `${alias}.${quote(f)}`).join(', ')
  return one(
    db,
    `select count(*) filter (where t.id is null)::int as created, count(t.id)::int as matched, count(*) filter (where t.id is not null and (${list('t')}) is distinct from (${list('s')}))::int as changed
       from ${STAGE} s left join ${tableName(table.name)} t on t.${quote(key)} = s.${quote(key)}`,
  )
}

/** Whether a staged row finds a record that it would change. */
export const isMatched = async (db: Queryable, { table, key }: Merge, row: number): Promise<boolean> =>
  key !== null && (await many(db, `select from ${STAGE} s join ${tableName(table.name)} t on t.${quote(key)} = s.${quote(key)} where s.row_of_file = $1`, [row])).length > 0

/** What stands in a column of a new record where a row leaves it blank, as SQL. A forecast uses up no automatic numbers: they are made up. */
async function defaultsOf(db: Queryable, table: TableDef, fields: readonly string[], isForecast: boolean): Promise<Map<string, string>> {
  const rows = await many<{ field: string; expression: string }>(
    db,
    `select a.attname as field, pg_get_expr(d.adbin, d.adrelid) as expression from pg_attrdef d join pg_attribute a on a.attrelid = d.adrelid and a.attnum = d.adnum
      where d.adrelid = to_regclass($1) and a.attname not in ('id', 'created_at', 'updated_at') and a.attgenerated = ''`,
    [tableName(table.name)],
  )
  const numbered = new Set(table.fields.filter((f) => f.number).map((f) => f.name))
  return new Map(
    rows.flatMap(({ field, expression }) => {
      if (isForecast && numbered.has(field)) return [[field, `'new ' || s.row_of_file`]]
      return fields.includes(field) ? [[field, expression]] : []
    }),
  )
}

/** Moves automatic numbers on past those that rows gave, so that the next one made is not there already. */
export async function advanceNumbers(db: Queryable, table: TableDef, fields: readonly string[]): Promise<void> {
  for (const { name, number } of table.fields) {
    const [prefix, suffix] = number && fields.includes(name) ? number.split(/\{0+\}/) : []
    if (prefix === undefined || suffix === undefined) continue
    await db.query(
      `with given as (select substr(${quote(name)}, length($3) + 1, length(${quote(name)}) - length($3) - length($4)) as digits from ${STAGE}
                       where starts_with(${quote(name)}, $3) and right(${quote(name)}, length($4)) = $4),
            most as (select max(digits::bigint) as n from given where digits ~ '^[0-9]{1,15}$'),
            own as (select pg_get_serial_sequence($1, $2)::regclass as seq)
       select setval(seq, greatest(n, coalesce(pg_sequence_last_value(seq), 0))) from own, most where seq is not null and n > 0`,
      [tableName(table.name), name, prefix, suffix],
    )
  }
}

/** Whether any staged row is left, and of how many the range is. */
export const stagedRange = (db: Queryable): Promise<Between & { count: number }> =>
  one<Between & { count: number }>(db, `select coalesce(min(row_of_file), 0) as first, coalesce(max(row_of_file), -1) as last, count(*)::int as count from ${STAGE}`)

/** How many staged rows a range has, and the one in the middle. */
export const middleOf = (db: Queryable, { first, last }: Between): Promise<{ count: number; middle: number }> =>
  one<{ count: number; middle: number }>(
    db,
    `select count(*)::int as count, coalesce(percentile_disc(0.5) within group (order by row_of_file), $1) as middle from ${STAGE} where row_of_file between $1 and $2`,
    [first, last],
  )

const MISSING = (key: string) => `t.${quote(key)} is not null and not exists (select from ${STAGE} s where s.${quote(key)} = t.${quote(key)})`

/** How many records have a key which no staged row has. */
export const countMissing = async (db: Queryable, table: TableDef, key: string): Promise<number> =>
  (await one<{ n: number }>(db, `select count(*)::int as n from ${tableName(table.name)} t where ${MISSING(key)}`)).n

/** Deletes the records that have a key which no staged row has; how many. @throws Error of the database */
export const deleteMissing = (db: Queryable, table: TableDef, key: string): Promise<number> => touch(db, `delete from ${tableName(table.name)} t where ${MISSING(key)}`)
