import type { Pool } from 'pg'
import type { View } from '@/core/document/view'
import type { Renaming } from '@/core/paths/rename'
import type { FieldDef, TableDef } from '@/core/values/tables'
import { renamedInView } from '@/core/workflow/rename/workflow'
import { TASK_TABLE } from '@/core/workflow/run/writes'
import { listImports, putImport } from '../bulk/imports'
import { holdOffWorkers } from '../changes'
import { many, type Queryable, quote, touch, transaction } from '../database'
import { Refused } from '../problems'
import { checkTable, lockTables, readSchema } from '../tables'
import { putTemplate } from '../templates'
import { type Mentions, mentionsIn, placesOf, readDocuments, type Use, workflowNames } from './mentions'

/** A field that gets another name. */
export interface FieldRename {
  readonly table: string
  readonly from: string
  readonly to: string
  /** What people read; it stays where it is not given. */
  readonly label?: string
}

/**
 * Gives a field another name, in one transaction: its column, and whatever speaks of it, workflows' versions, drafts and armed trials, templates and figures. Versions
 * go on under their numbers, and say what was renamed in them; templates get a new version. Workers wait until it is done.
 * With `anyway` unset, answers the places that would go along and does nothing where there are any.
 * @throws Refused where there is no such field, or the name cannot be had
 */
export async function renameField(
  pool: Pool,
  { table: name, from, to, label }: FieldRename,
  anyway: boolean,
  by: number | null,
): Promise<{ readonly done: boolean; readonly uses: Use[] }> {
  return transaction(pool, async (db) => {
    await holdOffWorkers(db)
    await lockTables(db)
    const schema = await readSchema(db)
    const table = schema.get(name)
    const field = table?.fields.find((f) => f.name === from)
    if (!table || !field) throw new Refused('not found', `There is no field ${JSON.stringify(from)} of ${JSON.stringify(name)}.`)
    if (to !== from) requireFree(table, field, to, schema)
    if (to !== from) requireNotOfTasks(name, from)
    const mentions = mentionsIn(await readDocuments(db), { schema, table: name, from, to })
    const uses = placesOf(mentions, await workflowNames(db))
    if (uses.length && !anyway && to !== from) return { done: false, uses }
    if (to !== from) {
      if (table.attached) await renameAttached(db, name, from, to)
      else await db.query(`alter table data.${quote(name)} rename column ${quote(from)} to ${quote(to)}`)
      await touch(
        db,
        'update rappel.table_def set title_field = case title_field when $2 then $3 else title_field end, owner_field = case owner_field when $2 then $3 else owner_field end where name = $1',
        [name, from, to],
      )
      await renameInImports(db, name, from, to)
      await renameInViews(db, { schema, table: name, from, to })
      await rewrite(db, mentions, `${field.label}: ${from} is called ${to} now`, by)
    }
    await touch(db, 'update rappel.field_def set name = $3, label = coalesce($4, label) where table_name = $1 and name = $2', [name, from, to, label ?? null])
    await db.query('select rappel.attach_capture($1)', [name])
    await db.query('select rappel.next_generation()')
    return { done: true, uses }
  })
}

/** Of another program's table only what Rappel calls its column changes. */
async function renameAttached(db: Queryable, table: string, from: string, to: string): Promise<void> {
  await touch(db, 'update rappel.attached_field set field = $3 where tbl = $1 and field = $2', [table, from, to])
  await db.query('select rappel.define_reading($1)', [table])
}

/** The fields that tasks are made with go by their names. */
const OF_TASKS = ['subject', 'owner', 'due', 'note']

/** Refuses to take away or rename a field by which workflows make tasks. @throws Refused */
export function requireNotOfTasks(table: string, field: string): void {
  if (table === TASK_TABLE && OF_TASKS.includes(field))
    throw new Refused('conflict', `Tasks are made with ${OF_TASKS.join(', ')}: these fields of ${TASK_TABLE} keep their names. Change the label instead.`)
}

function requireFree(table: TableDef, field: FieldDef, to: string, schema: Awaited<ReturnType<typeof readSchema>>): void {
  if (table.fields.some((f) => f.name === to)) throw new Refused('conflict', `${table.label} has a field ${to} already.`)
  const fields = table.fields.map((f) => (f === field ? { ...f, name: to } : f))
  const rename = (name: string | undefined) => (name === field.name ? to : name)
  const { ownerField, ...rest } = table
  const owner = rename(ownerField)
  const [problem] = checkTable({ ...rest, fields, titleField: rename(table.titleField) ?? '', ...(owner ? { ownerField: owner } : {}) }, schema)
  if (problem) throw new Refused('invalid', problem.message, [{ ...problem, path: '/to' }])
}

/** In imports with a name, which find records by a field, and fill fields. */
async function renameInImports(db: Queryable, table: string, from: string, to: string): Promise<void> {
  for (const named of await listImports(db, table)) {
    const columns = Object.fromEntries(Object.entries(named.columns).map(([heading, field]) => [heading, field === from ? to : field]))
    await putImport(db, { ...named, key: named.key === from ? to : named.key, columns }, null)
  }
}

/** In views of records, of whatever table. */
export async function renameInViews(db: Queryable, renaming: Renaming): Promise<void> {
  for (const { id, tbl, definition } of await many<{ id: number; tbl: string; definition: View }>(db, 'select id, tbl, definition from rappel.view')) {
    const table = renaming.schema.get(tbl)
    const is = table && JSON.stringify(renamedInView(definition, table, renaming))
    if (is && is !== JSON.stringify(definition)) await touch(db, 'update rappel.view set definition = $2 where id = $1', [id, is])
  }
}

/** Writes documents as they are from now on: versions under their numbers, with a note of what was renamed in them, templates as a new version. */
export async function rewrite(db: Queryable, { drafts, versions, trials, templates, figures }: Mentions, note: string, by: number | null): Promise<void> {
  for (const { workflow, is } of drafts) await touch(db, 'update rappel.workflow set draft = $2 where id = $1', [workflow, JSON.stringify(is)])
  for (const { workflow, version, is } of versions)
    await touch(db, 'update rappel.workflow_version set document = $3, notes = notes || $4::text where workflow = $1 and version = $2', [
      workflow,
      version,
      JSON.stringify(is),
      note,
    ])
  for (const { trial, is } of trials) await touch(db, 'update rappel.trial set document = $2 where id = $1', [trial, JSON.stringify(is)])
  for (const { is } of templates) await putTemplate(db, is, by)
  for (const { is } of figures) await touch(db, 'update rappel.figure set definition = $2 where name = $1', [is.name, JSON.stringify(is)])
}
