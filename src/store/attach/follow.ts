import type { Pool } from 'pg'
import { type CatalogTable, sqlName, whyNot } from '@/core/attach/catalog'
import { type AttachedField, describeField, fieldOfColumn, freeName, proposedName, titleOfFields } from '@/core/attach/describe'
import { hasMoved, type Moves, movesOf, newsOf } from '@/core/attach/follow'
import { must } from '@/core/must'
import { everyTableFields, type FieldDef, type TableDef } from '@/core/values/tables'
import { holdOffWorkers } from '../changes'
import { limitLockWaits, many, maybeOne, one, type Queryable, touch, transaction } from '../database'
import { type ChoicesRenamed, renameInLog } from '../design/rename-choices'
import { usesOfFields } from '../design/uses'
import { mayPass } from '../problems'
import { readSettings } from '../settings'
import { COLUMN_TYPES, lockTables, putFieldDef, readSchema } from '../tables'
import { pauseIn } from '../workflows'
import { readCatalog, sampleTexts } from './catalog'
import { keepAttachedFields, readAttached, readAttachedFields } from './fields'
import { type ChoicesFollowed, followChoices } from './follow-choices'
import { linkAttached } from './links'

/** The attached tables that are not as they were looked at last. */
export const staleAttached = async (db: Queryable): Promise<string[]> => (await many<{ tbl: string }>(db, 'select s as tbl from rappel.stale_attached() s')).map((r) => r.tbl)

/** The attached tables of which the catalogue says something else than what is known, whatever it is: choices, rights, keys, that one is back. */
export const otherAttached = async (pool: Pool): Promise<string[]> =>
  otherOf(
    pool,
    [...(await readSchema(pool)).values()].filter((table) => table.attached),
  )

/** The same of some tables; of one that its owner holds nothing can be said until it is let go, which holds up none of the others. */
async function otherOf(pool: Pool, tables: readonly TableDef[]): Promise<string[]> {
  try {
    return await transaction(pool, async (db) => {
      await limitLockWaits(db)
      const others: string[] = []
      for (const table of tables) if (await saysOther(db, table)) others.push(table.name)
      return others
    })
  } catch (error) {
    if (!mayPass(error)) throw error
    if (tables.length === 1) return []
    const half = Math.ceil(tables.length / 2)
    return [...(await otherOf(pool, tables.slice(0, half))), ...(await otherOf(pool, tables.slice(half)))]
  }
}

async function saysOther(db: Queryable, { attached, ...table }: TableDef): Promise<boolean> {
  const row = await findBase(db, table.name)
  const catalog = row?.schema && row.table ? await readCatalog(db, row.schema, row.table) : null
  const why = catalog && whyNot({ ...catalog, attachedAs: null })
  return Boolean(attached?.trouble ? catalog && why !== attached.trouble : !catalog || why || (await isOther(db, table, catalog, row?.same === true)))
}

async function isOther(db: Queryable, table: TableDef, catalog: CatalogTable, same: boolean): Promise<boolean> {
  const moves = movesOf(await readAttachedFields(db, table.name), catalog, same)
  return hasMoved(moves) || moves.kept.some((k) => refreshed(table, k) !== null)
}

/** Attached tables of which nothing is to be read now: not as they were looked at last, or held by their owner. */
export interface Unsteady {
  readonly stale: readonly string[]
  readonly held: ReadonlySet<string>
}

/**
 * Which attached tables nothing is to be read of; until the transaction ends the owners' changes of columns of all others wait for it, so that what is read of those is right. Nothing is waited for.
 */
export async function holdAttached(db: Queryable): Promise<Unsteady> {
  const found = await many<{ tbl: string; isHeld: boolean }>(db, 'select tbl, is_held as "isHeld" from rappel.still_attached()')
  return { stale: found.flatMap((f) => (f.isHeld ? [] : f.tbl)), held: new Set(found.flatMap((f) => (f.isHeld ? f.tbl : []))) }
}

/** The attached tables that their owners hold now. */
export const heldTables = async (db: Queryable): Promise<ReadonlySet<string>> => (await holdAttached(db)).held

/**
 * Follows what its owner did to an attached table: columns renamed, added, dropped or of another type, partitions, triggers taken off, the table gone or back. Workflows that
 * speak of a column that is gone are paused. Answers what was done, in sentences. @throws Error where the table is busy; it may be tried again
 */
export async function followTable(pool: Pool, name: string): Promise<string[]> {
  const { news, renamed } = await transaction(pool, async (db) => {
    await holdOffWorkers(db)
    await lockTables(db)
    await limitLockWaits(db)
    const table = (await readSchema(db)).get(name)
    const row = await findBase(db, name)
    if (!table || !row) return { news: [], renamed: [] }
    const catalog = row.schema === null || row.table === null ? null : await readCatalog(db, row.schema, row.table)
    const why = catalog ? whyNot({ ...catalog, attachedAs: null }) : `${sqlName(row.wasSchema, row.wasTable)} is gone: its owner dropped it, or Rappel may not see it any more.`
    const followed = why ? { news: await standStill(db, name, why, row.trouble), renamed: [] } : await follow(db, table, must(catalog), row)
    for (const text of followed.news) await noteNews(db, name, text)
    return followed
  })
  for (const choices of renamed) await renameInLog(pool, choices)
  return news
}

interface Base {
  readonly wasSchema: string
  readonly wasTable: string
  readonly trouble: string | null
  readonly zone: string
  /** Whether it is the table that was looked at last, and not one made anew. */
  readonly same: boolean
  /** Null where it is gone. */
  readonly schema: string | null
  readonly table: string | null
}

/** Where an attached table is now: the table itself, whatever it is called, or, where that is gone, one under its name. */
async function findBase(db: Queryable, name: string): Promise<Base | null> {
  await db.query(
    `update rappel.attached a set base = r.oid from (select c.oid, n.nspname, c.relname from pg_class c join pg_namespace n on n.oid = c.relnamespace where c.relkind in ('r', 'p')) r
      where a.tbl = $1 and not exists (select from pg_class c where c.oid = a.base) and (r.nspname, r.relname) = (a.schema_name, a.base_name)`,
    [name],
  )
  return maybeOne<Base>(
    db,
    `select a.schema_name as "wasSchema", a.base_name as "wasTable", a.trouble, a.zone, a.base_oid = c.oid as same, n.nspname as schema, c.relname as table
       from rappel.attached a left join pg_class c on c.oid = a.base left join pg_namespace n on n.oid = c.relnamespace where a.tbl = $1`,
    [name],
  )
}

/** Lets nothing be read of a table any more that cannot be; its workflows wait for changes that do not come. */
async function standStill(db: Queryable, name: string, why: string, was: string | null): Promise<string[]> {
  if (was === why) return []
  await touch(db, 'update rappel.attached set trouble = $2 where tbl = $1', [name, why])
  await db.query('select rappel.define_reading($1)', [name])
  await db.query('select rappel.next_generation()')
  return [`${why} Nothing is read of it and nothing recorded until that is mended; then it goes on by itself.`]
}

/** Follows a table that can be read: what is said of it, and which choices are called otherwise. */
async function follow(db: Queryable, table: TableDef, catalog: CatalogTable, base: Base): Promise<{ news: string[]; renamed: ChoicesRenamed[] }> {
  const { name } = table
  const { zone } = await readSettings(db)
  const moves = movesOf(await readAttachedFields(db, name), catalog, base.same)
  const paused = await dropFields(db, table, moves)
  const added = await addFields(db, table, catalog, moves)
  const anew = await refreshFields(db, table, moves)
  const now = [...moves.kept.map((k) => k.field), ...added]
  const isAltered = hasMoved(moves) || anew.length > 0
  const isBack = base.trouble !== null
  const { missing, unlogged, reshaped, successor } = await one<{ missing: string[]; unlogged: boolean; reshaped: boolean; successor: boolean }>(
    db,
    `select array(select distinct m.trigger from rappel.missing_triggers($1) m) as missing,
            exists (select from rappel.unlogged where tbl = $1) as unlogged,
            exists (select from rappel.log_of l where l.tbl = $1 and l.shape is distinct from rappel.shape_of(rappel.base_of($1))) as reshaped,
            exists (select from pg_class c join pg_namespace n on n.oid = c.relnamespace where (n.nspname, c.relname) = ($2, $3)) as successor`,
    [name, base.wasSchema, base.wasTable],
  )
  await touch(db, 'update rappel.attached set schema_name = $2, base_name = $3, zone = $4, trouble = null, base_oid = base where tbl = $1', [
    name,
    catalog.schema,
    catalog.name,
    zone,
  ])
  await keepAttachedFields(db, name, now)
  const isReadAnew = isAltered || isBack || zone !== base.zone
  if (isReadAnew) await db.query('select rappel.define_reading($1)', [name])
  if (isReadAnew || reshaped || missing.length > 0 || unlogged) await db.query('select rappel.attach_capture($1)', [name])
  if (unlogged) await db.query('select rappel.log_unlogged($1)', [name])
  await touch(db, 'update rappel.attached set shape = rappel.shape_of(base) where tbl = $1', [name])
  const relinked = await linkAttached(db)
  if (isAltered || isBack || relinked > 0) await db.query('select rappel.next_generation()')
  const isMoved = catalog.schema !== base.wasSchema || catalog.name !== base.wasTable
  const news = [
    ...(isMoved ? [movedTo(sqlName(catalog.schema, catalog.name), successor ? sqlName(base.wasSchema, base.wasTable) : null)] : []),
    ...(isBack ? ['The table can be read and watched again. What was changed in between set nothing off.'] : []),
    ...(missing.some((trigger) => !LATER.has(trigger)) && !isBack
      ? ['A part of it was not watched: a partition was added, or triggers were taken off. It is watched again; what was written past it before set nothing off.']
      : []),
    ...(missing.includes(OF_ROWS) ? [await ofReplication(db, name)] : []),
    ...newsOf(moves, paused),
    ...anew.flatMap((field) => field.news),
  ]
  return { news, renamed: anew.flatMap(({ renamed }) => renamed ?? []) }
}

/** What a table is called now, and whether another has its name of before. */
const movedTo = (now: string, successor: string | null): string =>
  successor
    ? `Its owner calls the table ${now} now, and it is still the one that is watched; another is called ${successor}, and that is not. If that took its place, let go of this one and attach that.`
    : `Its owner calls the table ${now} now; nothing is to be done.`

/** The trigger of an attached table that a subscription writes. */
const OF_ROWS = 'rappel_capture_row'

/** Triggers that may come to a table that is watched already, without anything having been missed. */
const LATER: ReadonlySet<string> = new Set([OF_ROWS, 'rappel_capture_begin'])

/** What is to be said of a table that replication writes. */
async function ofReplication(db: Queryable, name: string): Promise<string> {
  const { sql } = await one<{ sql: string | null }>(db, 'select rappel.replication_sql($1) as sql', [name])
  return sql ? `Replication writes to it, which sets nothing off until its owner has run: ${sql}` : 'Replication writes to it: each row that it brings, changes or deletes counts.'
}

/** Notes what is to be said of a table that was attached just now and that replication writes. */
export const noteReplication = async (db: Queryable, name: string): Promise<void> => noteNews(db, name, await ofReplication(db, name))

async function noteNews(db: Queryable, name: string, text: string): Promise<void> {
  await touch(db, 'insert into rappel.attached_news (tbl, text) values ($1, $2)', [name, text])
}

/** Forgets fields whose columns are gone; answers which live workflows were paused for each. */
async function dropFields(db: Queryable, table: TableDef, { gone, kept }: Moves): Promise<Map<string, string[]>> {
  const paused = new Map<string, string[]>()
  const lost = gone.filter((g) => table.fields.some((f) => f.name === g.field))
  if (lost.length === 0) return paused
  const uses = await usesOfFields(db, table)
  for (const { field } of lost) {
    const live = (uses.get(field) ?? []).filter((use) => use.kind === 'workflow' && use.inForce).map((use) => use.name)
    for (const workflow of live) await pauseIn(db, workflow)
    paused.set(field, live)
    await touch(db, 'delete from rappel.field_def where table_name = $1 and name = $2', [table.name, field])
  }
  const left = table.fields.filter((f) => kept.some((k) => k.field.field === f.name))
  if (!left.some((f) => f.name === table.titleField)) await touch(db, 'update rappel.table_def set title_field = $2 where name = $1', [table.name, titleOfFields(left)])
  return paused
}

async function addFields(db: Queryable, table: TableDef, catalog: CatalogTable, { added }: Moves): Promise<AttachedField[]> {
  if (added.length === 0) return []
  const [attached, samples] = [await readAttached(db), await sampleTexts(db, catalog)]
  const taken = new Set([...everyTableFields(table), ...table.fields].map((f) => f.name))
  const fields: AttachedField[] = []
  for (const [i, column] of added.entries()) {
    const field = freeName(proposedName(column.name), taken)
    taken.add(field)
    await putFieldDef(db, table.name, describeField(catalog, column, field, attached, samples.get(column.name)), table.fields.length + i)
    fields.push({ field, attnum: column.attnum, attname: column.name, seen: column.seen ?? '', type: column.type ?? '', isReadOnly: column.isReadOnly })
  }
  return fields
}

/** Takes over what the owner said anew of columns that go on: what came of the choices of each. */
async function refreshFields(db: Queryable, table: TableDef, { kept }: Moves): Promise<ChoicesFollowed[]> {
  const told: ChoicesFollowed[] = []
  for (const one of kept) {
    const known = table.fields.find((f) => f.name === one.field.field)
    const field = refreshed(table, one)
    if (!known || !field) continue
    told.push(await followChoices(db, table, known, field, one.column.labels !== null))
    await putFieldDef(db, table.name, field)
  }
  return told
}

/** A field as its column says it is now: another type, other choices, whether it must be filled; null where it is what it was. */
function refreshed(table: TableDef, { field, column }: Moves['kept'][number]): FieldDef | null {
  const known = table.fields.find((f) => f.name === field.field)
  if (!known) return null
  const seen = fieldOfColumn(column, undefined)
  const isOther = known.type !== 'link' && COLUMN_TYPES[known.type] !== COLUMN_TYPES[seen.type]
  const type = isOther || (seen.type === 'choice' && known.type === 'text') ? seen.type : known.type
  const choices = seen.choices ?? (isOther ? undefined : known.choices)
  const required = column.required && !column.isReadOnly
  if (type === known.type && required === Boolean(known.required) && String(choices) === String(known.choices)) return null
  const { choices: _, required: __, ...rest } = known
  return { ...rest, type, ...(choices ? { choices } : {}), ...(required ? { required } : {}) }
}

/** What became of attached tables without Rappel's doing, the newest first. */
export interface AttachedNews {
  readonly table: string
  readonly label: string
  readonly at: Date
  readonly text: string
}

/** News of attached tables since a moment, the newest first. */
export const listAttachedNews = (db: Queryable, since: Date, limit: number): Promise<AttachedNews[]> =>
  many<AttachedNews>(
    db,
    'select n.tbl as table, t.label, n.at, n.text from rappel.attached_news n join rappel.table_def t on t.name = n.tbl where n.at > $1 order by n.id desc limit $2',
    [since, limit],
  )
