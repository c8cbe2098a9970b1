import type { Attached, AttachedField } from '@/core/attach/describe'
import { many, type Queryable, touch } from '../database'

/** The columns behind an attached table's fields. */
export const readAttachedFields = (db: Queryable, table: string): Promise<AttachedField[]> =>
  many<AttachedField>(db, 'select field, attnum, attname, seen, type, is_read_only as "isReadOnly" from rappel.attached_field where tbl = $1 order by attnum', [table])

/** Keeps which columns an attached table's fields are, and none else. */
export async function keepAttachedFields(db: Queryable, table: string, fields: readonly AttachedField[]): Promise<void> {
  await touch(db, 'delete from rappel.attached_field where tbl = $1', [table])
  await touch(
    db,
    `insert into rappel.attached_field (tbl, field, attnum, attname, seen, type, is_read_only)
     select $1, f.field, f.attnum, f.attname, f.seen, f.type, f."isReadOnly" from jsonb_to_recordset($2) f (field text, attnum int, attname text, seen text, type text, "isReadOnly" boolean)`,
    [table, JSON.stringify(fields)],
  )
}

/** Which attached tables foreign keys lead to. */
export async function readAttached(db: Queryable): Promise<Attached> {
  const rows = await many<{ tbl: string; schema: string; name: string; key: string }>(
    db,
    `select a.tbl, a.schema_name as schema, a.base_name as name, f.attname as key from rappel.attached a join rappel.attached_field f on f.tbl = a.tbl and f.field = 'id'`,
  )
  return (schema, table, references) => rows.find((r) => r.schema === schema && r.name === table && r.key === references)?.tbl
}
