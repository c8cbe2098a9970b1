import type { Pool } from 'pg'
import { readCell } from '@/core/bulk/cell'
import { recogniseDates, recogniseDecimal } from '@/core/bulk/ways'
import { NOWHERE } from '@/core/paths/rename'
import { dayOf } from '@/core/values/dates'
import { waysOf } from '@/core/values/plain'
import type { FieldDef, Organisation, Schema, Stored } from '@/core/values/tables'
import { findNamed } from '../bulk/named'
import { holdOffWorkers } from '../changes'
import { many, one, type Queryable, quote, touch, transaction } from '../database'
import { Refused } from '../problems'
import { COLUMN_TYPES, checkTable, lockTables, putFieldDef, readSchema, referenceOf } from '../tables'
import { mentionsIn, placesOf, readDocuments, type Use, workflowNames } from './mentions'
import { outdateFigures, renameChoices } from './rename-choices'

/** Most different values of a field that gets another type. */
const MOST_DISTINCT = 200_000

/** Most values that are told of those that do not convert. */
const MOST_TOLD = 50

/** What becomes of a field's values under another type. */
export interface Retyping {
  /** Records that have a value, and how many of them keep it. */
  readonly filled: number
  readonly kept: number
  /** Values that would be blank, with how many records have each, and why. */
  readonly lost: readonly { readonly value: string; readonly records: number; readonly message: string }[]
  /** What speaks of choices that are called otherwise from now on, and goes along; and what speaks of choices that would be gone. */
  readonly renamed: readonly Use[]
  readonly gone: readonly Use[]
  readonly done: boolean
}

/** How a field gets another type: whether that is only looked at, whether what would be lost may be, what choices are called that stay under another name, and who does it. */
export interface RetypeAsked {
  readonly look: boolean
  readonly anyway: boolean
  readonly renamed?: ReadonlyMap<string, string>
  readonly by?: number | null
}

const NOTHING_LOST = { filled: 0, kept: 0, lost: [], renamed: [], gone: [] }

/** Of another program's column only what it is taken for changes: its values stay as they are. @throws Refused where they are of another type */
async function retypeAttached(db: Queryable, table: string, old: FieldDef, field: FieldDef): Promise<Retyping> {
  if (COLUMN_TYPES[old.type] !== COLUMN_TYPES[field.type])
    throw new Refused('conflict', `${old.label} holds ${old.type} values in another program’s table, whose owner alone gives its columns other types.`)
  await putFieldDef(db, table, field)
  await db.query('select rappel.next_generation()')
  return { ...NOTHING_LOST, done: true }
}

type Converted = { readonly value: Stored } | { readonly problem: string }

/**
 * Gives a field another type, or looks what that would do (`look`). Values are converted as an import reads them; those that cannot be are told, and blanked only with `anyway`. Choices that are
 * `renamed` are so in records and in whatever speaks of them, in the same moment; of choices that are left out is told what speaks of them.
 * Records do not change by it: nothing is captured, and no workflow fires.
 * @throws Refused where the field cannot have the type
 */
export async function retypeField(pool: Pool, table: string, field: FieldDef, organisation: Organisation, asked: RetypeAsked): Promise<Retyping> {
  const { look, anyway, by = null } = asked
  return transaction(pool, async (db) => {
    if (!look) await holdOffWorkers(db)
    await lockTables(db)
    const schema = await readSchema(db)
    const known = schema.get(table)
    const old = known?.fields.find((f) => f.name === field.name)
    if (!known || !old) throw new Refused('not found', `There is no field ${JSON.stringify(field.name)} of ${JSON.stringify(table)}.`)
    if (known.ownerField === field.name && field.type !== 'person')
      throw new Refused('conflict', `${old.label} is the owner of ${known.label}. Say first that another field is, or none.`)
    const { renamed, gone } = choicesOf(old, field, asked.renamed)
    const becomes = { ...field, key: schema.get(field.table ?? '')?.key, ...(field.default === undefined ? {} : { default: renamed.get(field.default) ?? field.default }) }
    const [problem] = checkTable({ ...known, fields: known.fields.map((f) => (f === old ? becomes : f)) }, schema, { mayRetype: true })
    if (problem) throw new Refused('invalid', problem.message, [problem])
    if (known.attached) return look ? { ...NOTHING_LOST, done: false } : retypeAttached(db, table, old, becomes)
    const values = await many<{ value: string; records: number }>(
      db,
      `select to_json(${quote(field.name)}) #>> '{}' as value, count(*) as records from data.${quote(table)} where ${quote(field.name)} is not null group by 1 order by 2 desc limit $1`,
      [MOST_DISTINCT + 1],
    )
    if (values.length > MOST_DISTINCT)
      throw new Refused(
        'invalid',
        `${old.label} has more than ${MOST_DISTINCT.toLocaleString('en')} different values; so many are not converted. Add a field of the other type, and fill it by an import.`,
      )
    const converted = await convertAll(
      db,
      values.map((v) => v.value),
      old,
      field,
      renamed,
      schema,
      organisation,
    )
    const own = { schema, table, from: field.name, to: field.name }
    const documents = await readDocuments(db)
    const names = await workflowNames(db)
    const speaksOf = (choices: ReadonlyMap<unknown, string>) => placesOf(mentionsIn(documents, { ...own, choices }), names)
    const left = speaksOf(new Map(gone.map((choice) => [choice, NOWHERE])))
    const lost = values.flatMap(({ value, records }) => {
      const to = converted.get(value)
      return to && 'problem' in to ? [{ value: value.slice(0, 200), records, message: to.problem }] : []
    })
    const filled = values.reduce((sum, v) => sum + v.records, 0)
    const told = { filled, kept: filled - lost.reduce((sum, l) => sum + l.records, 0), lost: lost.slice(0, MOST_TOLD), renamed: speaksOf(renamed), gone: left }
    if (look || ((lost.length || left.length) && !anyway)) return { ...told, done: false }
    const isSame = await convertColumn(db, table, old, becomes, converted)
    const note = [...renamed].map(([was, is]) => `${old.label}: ${was} is called ${is} now`).join('; ')
    if (renamed.size) await renameChoices(db, { table, field: field.name, choices: renamed }, { schema, documents }, note, by)
    else if (!isSame) await outdateFigures(db, { table, field: field.name }, { schema, documents })
    await putFieldDef(db, table, becomes)
    await db.query('select rappel.attach_capture($1)', [table])
    await db.query('select rappel.next_generation()')
    return { ...told, done: true }
  })
}

/** Which choices of a field are called otherwise from now on, and which are no more. @throws Refused where one is renamed that there is not, or to what there will not be */
function choicesOf(
  old: FieldDef,
  field: FieldDef,
  given: ReadonlyMap<string, string> = new Map(),
): { readonly renamed: ReadonlyMap<unknown, string>; readonly gone: readonly string[] } {
  const [were, are] = [new Set(old.type === 'choice' ? old.choices : []), new Set(field.type === 'choice' ? field.choices : [])]
  for (const [was, is] of given) {
    const message = !were.has(was)
      ? `${old.label} has no choice ${JSON.stringify(was)}.`
      : !are.has(is)
        ? `${JSON.stringify(is)} is not among the choices that there are to be.`
        : null
    if (message) throw new Refused('invalid', message, [{ code: 'no such choice', path: '/renamed', message }])
  }
  return { renamed: given, gone: are.size === 0 ? [] : [...were].filter((choice) => !are.has(choice) && !given.has(choice)) }
}

async function convertAll(
  db: Queryable,
  texts: readonly string[],
  old: FieldDef,
  field: FieldDef,
  renamed: ReadonlyMap<unknown, string>,
  schema: Schema,
  organisation: Organisation,
): Promise<Map<string, Converted>> {
  const own = waysOf(organisation.locale)
  // what stands in columns of numbers and dates is written as SQL writes it
  const isPlain = ['number', 'money', 'date', 'date-time'].includes(old.type)
  const ways = isPlain ? ({ decimal: '.', dates: 'ymd' } as const) : { decimal: recogniseDecimal(texts, own.decimal), dates: recogniseDates(texts, own.dates) }
  const target = field.type === 'person' ? 'person' : field.type === 'link' ? field.table : undefined
  const from = old.type === 'person' ? 'person' : old.type === 'link' ? old.table : undefined
  const titles = from && !target ? await titlesOf(db, from, texts, schema) : null
  const named = target && target !== from ? await findNamed(db, schema, target, [...new Set(texts.map((t) => t.trim().toLowerCase()))]) : new Map()
  return new Map(
    texts.map((text): [string, Converted] => {
      if (target && target === from) return [text, { value: text }]
      const raw = titles ? (titles.get(text) ?? '') : old.type === 'date-time' && field.type === 'date' ? dayOf(new Date(text), organisation.zone) : (renamed.get(text) ?? text)
      const read = readCell(field, raw, { ways, zone: organisation.zone, find: (_, name) => named.get(name.trim().toLowerCase()) ?? null })
      return [text, 'problem' in read ? { problem: read.problem.message } : { value: read.value }]
    }),
  )
}

/** The titles of some of a table's records, or people's names, by id. */
async function titlesOf(db: Queryable, table: string, ids: readonly string[], schema: Schema): Promise<Map<string, string>> {
  const title = table === 'person' ? 'name' : (schema.get(table)?.titleField ?? 'id')
  const from = table === 'person' ? 'rappel.person' : `data.${quote(table)}`
  return new Map(
    (await many<{ id: string; title: string | null }>(db, `select id::text as id, ${quote(title)}::text as title from ${from} where id::text = any($1)`, [ids])).map((r) => [
      r.id,
      r.title ?? '',
    ]),
  )
}

/** Gives a column another type, its values taken from a table of the transaction's own; whether all of them are what they were. */
async function convertColumn(db: Queryable, table: string, old: FieldDef, field: FieldDef, converted: ReadonlyMap<string, Converted>): Promise<boolean> {
  const target = `data.${quote(table)}`
  const column = quote(field.name)
  const type = field.key ?? COLUMN_TYPES[field.type]
  const same = [...converted].every(([text, to]) => 'value' in to && to.value !== null && String(to.value) === text)
  if (type !== (old.key ?? COLUMN_TYPES[old.type]) || !same) {
    await db.query('create temp table rappel_retyped (was text primary key, becomes text) on commit drop')
    await db.query('insert into rappel_retyped select * from unnest($1::text[], $2::text[])', [
      [...converted.keys()],
      [...converted.values()].map((to) => ('value' in to && to.value !== null ? String(to.value) : null)),
    ])
    await db.query(
      `create function pg_temp.rappel_retyped(was text) returns ${type} language sql stable as $f$ select r.becomes::${type} from rappel_retyped r where r.was = $1 $f$`,
    )
    const foreign = await many<{ name: string }>(
      db,
      `select c.conname as name from pg_constraint c join pg_attribute a on a.attrelid = c.conrelid and c.conkey = array[a.attnum] where c.contype = 'f' and c.conrelid = $1::regclass and a.attname = $2`,
      [target, field.name],
    )
    for (const { name } of foreign) await db.query(`alter table ${target} drop constraint ${quote(name)}`)
    const isLossy = [...converted.values()].some((to) => 'problem' in to)
    const unique = await one<{ name: string | null }>(
      db,
      `select min(i.indexrelid::regclass::text) as name from pg_index i join pg_attribute a on a.attrelid = i.indrelid and a.attname = $2 where i.indrelid = $1::regclass and i.indisunique and not i.indisprimary and i.indexrelid::regclass::text like '%\\_' || a.attnum || '\\_unique%'`,
      [target, field.name],
    )
    if (unique.name) await db.query(`drop index ${unique.name}`)
    await db.query(`alter table ${target} alter column ${column} drop default${isLossy ? `, alter column ${column} drop not null` : ''}`)
    await db.query(`alter table ${target} alter column ${column} type ${type} using pg_temp.rappel_retyped(to_json(${column}) #>> '{}')`)
    await db.query('drop function pg_temp.rappel_retyped(text)')
    await touch(db, 'drop table rappel_retyped', [])
  }
  const reference = referenceOf(field)
  if (reference && (old.type !== field.type || old.table !== field.table)) {
    await db.query(`alter table ${target} add foreign key (${column}) references ${reference} (id) on delete set null`)
    await db.query(`create index on ${target} (${column})`)
  }
  return same
}
