import type { Pool } from 'pg'
import { afterwards, type CatalogTable, sqlName, whyNot } from '@/core/attach/catalog'
import { describeTable, freeName, proposedName } from '@/core/attach/describe'
import { codeOf, must } from '@/core/must'
import type { TableDef } from '@/core/values/tables'
import { holdOffWorkers } from '../changes'
import { limitLockWaits, type Queryable, quote, touch, transaction } from '../database'
import { Refused } from '../problems'
import { readSettings } from '../settings'
import { checkTable, lockTables, putFieldDef, putTableDef, readSchema } from '../tables'
import { listCatalog, readCatalog, sampleTexts } from './catalog'
import { keepAttachedFields, readAttached } from './fields'
import { noteReplication } from './follow'
import { linkAttached } from './links'

/** A table that is there, and whether it can be attached: under which name, or why not. */
export interface Attachable {
  readonly schema: string
  readonly table: string
  readonly kind: CatalogTable['kind']
  /** As the database guesses; null where it has not looked yet. */
  readonly rows: number | null
  /** The name that it would have here. */
  readonly name: string
  readonly why: string | null
  /** What its owner has to run once it is attached; null where nothing. */
  readonly afterwards: string | null
  readonly attachedAs: string | null
}

/** Every table of other programs in the database. */
export async function listAttachable(db: Queryable): Promise<Attachable[]> {
  const taken = new Set(['person', ...(await readSchema(db)).keys()])
  return (await listCatalog(db)).map((table) => {
    const why = whyNot(table)
    const name = table.attachedAs ?? freeName(proposedName(table.name), taken)
    if (!why) taken.add(name)
    return { schema: table.schema, table: table.name, kind: table.kind, rows: table.rows, name, why, afterwards: why ? null : afterwards(table), attachedAs: table.attachedAs }
  })
}

/**
 * Attaches a table that another program owns, under a name: its fields by its columns, and triggers that record its changes from then on. Links come about to and from other
 * attached tables along their foreign keys. @throws Refused with the reason where it cannot be
 */
export async function attachTable(pool: Pool, name: string, where: { readonly schema: string; readonly table: string }): Promise<TableDef> {
  return transaction(pool, async (db) => {
    await holdOffWorkers(db)
    await lockTables(db)
    const schema = await readSchema(db)
    if (schema.has(name)) throw new Refused('conflict', `There is a table ${name} already. Attach it under another name.`)
    const catalog = await readCatalog(db, where.schema, where.table)
    if (!catalog) throw new Refused('not found', `There is no table ${sqlName(where.schema, where.table)} in this database, or Rappel may not see it.`)
    const why = whyNot(catalog)
    if (why) throw new Refused('invalid', `${sqlName(where.schema, where.table)} cannot be attached. ${why}`, [{ code: 'not attachable', path: '/table', message: why }])
    const attached = await readAttached(db)
    // a table may point at itself, by the name that it gets just now
    const [key] = must(catalog.key)
    const known = (s: string, t: string, references: string) => (s === catalog.schema && t === catalog.name && references === must(key).name ? name : attached(s, t, references))
    const { table, columns } = describeTable(catalog, name, known, await sampleTexts(db, catalog))
    const problems = checkTable(table, new Map([...schema, [name, table]]))
    if (problems.length) throw new Refused('invalid', `${sqlName(where.schema, where.table)} cannot be attached as ${name}.`, problems)
    await putTableDef(db, table)
    await touch(db, 'insert into rappel.attached (tbl, base, base_oid, schema_name, base_name, zone) values ($1, $2::text::regclass, $2::text::regclass::oid, $3, $4, $5)', [
      name,
      `${quote(catalog.schema)}.${quote(catalog.name)}`,
      catalog.schema,
      catalog.name,
      (await readSettings(db)).zone,
    ])
    await keepAttachedFields(db, name, columns)
    for (const [i, field] of table.fields.entries()) await putFieldDef(db, name, field, i)
    await capture(db, name, catalog)
    if (catalog.isReplicated) await noteReplication(db, name)
    await linkAttached(db)
    await db.query('select rappel.next_generation()')
    return must((await readSchema(db)).get(name))
  })
}

/** Begins to record; the other program's statements that are under way are waited for, a little while. @throws Refused where it is busy for longer */
async function capture(db: Queryable, name: string, { schema, name: table }: CatalogTable): Promise<void> {
  await limitLockWaits(db)
  try {
    await db.query('select rappel.define_reading($1)', [name])
    await db.query('select rappel.attach_capture($1)', [name])
    await touch(db, 'update rappel.attached set shape = rappel.shape_of(base) where tbl = $1', [name])
  } catch (error) {
    if (codeOf(error) !== '55P03') throw error
    throw new Refused(
      'conflict',
      `${sqlName(schema, table)} is written to by a transaction that has lasted for a while; triggers can be set once it is over. Try again in a moment.`,
    )
  }
}
