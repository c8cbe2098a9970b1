import type { Pool } from 'pg'
import type { Schema, TableDef } from '@/core/values/tables'
import { linkAttached } from '../attach/links'
import { holdOffWorkers } from '../changes'
import { type Queryable, quote, touch, transaction } from '../database'
import { Refused } from '../problems'
import { lockTables, readSchema, readTableSize } from '../tables'
import { pauseIn } from '../workflows'
import type { Use } from './mentions'
import { requireNotOfTasks } from './rename'
import { usesOfFields, usesOfTable } from './uses'

/** What came of removing: whether it was done, and the places that use it. */
export interface Removal {
  readonly done: boolean
  readonly uses: readonly Use[]
}

/**
 * Removes a field with its column; what was recorded of it stays in the change log. Live workflows that speak of it are paused.
 * With `anyway` unset, answers the places that use it and does nothing where there are any.
 * @throws Refused where it names the table's records
 */
export async function removeField(pool: Pool, tableName: string, field: string, anyway: boolean): Promise<Removal> {
  return transaction(pool, async (db) => {
    await holdOffWorkers(db)
    await lockTables(db)
    const table = (await readSchema(db)).get(tableName)
    const known = table?.fields.find((f) => f.name === field)
    if (!table || !known) throw new Refused('not found', `There is no field ${JSON.stringify(field)} of ${JSON.stringify(tableName)}.`)
    if (table.titleField === field) throw new Refused('conflict', `${known.label} is what names a record of ${table.label}. Say first that another field does.`)
    if (table.attached) throw new Refused('conflict', `${known.label} is a column of another program’s table. It goes when its owner drops the column.`)
    requireNotOfTasks(tableName, field)
    const uses = (await usesOfFields(db, table)).get(field) ?? []
    if (uses.length && !anyway) return { done: false, uses }
    for (const use of uses) if (use.kind === 'workflow' && use.inForce) await pauseIn(db, use.name)
    await touch(db, 'update rappel.table_def set owner_field = null where name = $1 and owner_field = $2', [tableName, field])
    await db.query(`alter table data.${quote(tableName)} drop column ${quote(field)}`)
    await touch(db, 'delete from rappel.field_def where table_name = $1 and name = $2', [tableName, field])
    await db.query('select rappel.attach_capture($1)', [tableName])
    await db.query('select rappel.next_generation()')
    return { done: true, uses }
  })
}

/**
 * Deletes a table with its records, its templates and its figures; its workflows are paused, and the change log keeps what was recorded. One that another program owns is let go
 * of, and stays as it is.
 * With `anyway` unset, answers the places that use it and does nothing where there are any, or where there are records.
 * @throws Refused where links of other tables point at it
 */
export async function removeTable(pool: Pool, name: string, anyway: boolean): Promise<Removal & { readonly records: number }> {
  return transaction(pool, async (db) => {
    await holdOffWorkers(db)
    await lockTables(db)
    const schema = await readSchema(db)
    const table = schema.get(name)
    if (!table || name === 'person') throw new Refused('not found', `There is no table ${JSON.stringify(name)}.`)
    const uses = await usesWithLinks(db, schema, table)
    const links = uses.filter((use) => use.kind === 'link')
    if (links.length) throw new Refused('conflict', `Links point at ${table.label}: ${links.map((l) => l.name).join(', ')}. Remove those first.`)
    const records = table.attached ? 0 : await readTableSize(db, name)
    if ((uses.length || records) && !anyway) return { done: false, uses, records }
    for (const use of uses) if (use.kind === 'workflow' && use.inForce) await pauseIn(db, use.name)
    await touch(db, `delete from rappel.figure where definition ->> 'table' = $1`, [name])
    await touch(db, 'delete from rappel.template where table_name = $1', [name])
    if (table.attached) await db.query('select rappel.detach($1)', [name])
    else {
      await db.query(`drop table data.${quote(name)}`)
      await db.query(`drop function if exists rappel.${quote(`capture_${name}`)}()`)
    }
    await touch(db, 'delete from rappel.field_def where table_name = $1', [name])
    await touch(db, 'delete from rappel.table_def where name = $1', [name])
    if (table.attached) await linkAttached(db)
    await db.query('select rappel.next_generation()')
    return { done: true, uses, records }
  })
}

/** Where a table is used; in the place of links that become plain values without it, what speaks of those. */
async function usesWithLinks(db: Queryable, schema: Schema, table: TableDef): Promise<Use[]> {
  const uses = new Map<string, Use>()
  for (const use of await usesOfTable(db, table)) {
    const of = use.plain && schema.get(use.plain.table)
    const also = of && use.plain ? ((await usesOfFields(db, of)).get(use.plain.field) ?? []) : [use]
    for (const one of also) if (one.kind !== 'title' || !of) uses.set(`${one.kind} ${one.name}`, one)
  }
  return [...uses.values()]
}

/** Puts the fields of a table into an order; those that are not named come after, as they were. */
export async function orderFields(pool: Pool, table: string, fields: readonly string[]): Promise<void> {
  await transaction(pool, async (db) => {
    await lockTables(db)
    await touch(
      db,
      `update rappel.field_def f set position = o.place
         from (select name, row_number() over (order by coalesce(array_position($2::text[], name), 1000000), position) - 1 as place from rappel.field_def where table_name = $1) o
        where f.table_name = $1 and f.name = o.name and f.position <> o.place`,
      [table, fields],
    )
    await db.query('select rappel.next_generation()')
  })
}
