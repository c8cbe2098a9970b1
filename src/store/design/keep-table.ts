import type { Pool } from 'pg'
import type { Workflow } from '@/core/document/document'
import { isTakenInFormula } from '@/core/formula/syntax'
import { NOWHERE } from '@/core/paths/rename'
import type { TableDef } from '@/core/values/tables'
import { everyAction } from '@/core/workflow/uses'
import { holdOffWorkers } from '../changes'
import { maybeOne, transaction } from '../database'
import { Refused } from '../problems'
import { lockTables, putTableIn, readSchema } from '../tables'
import { type Documents, mentionsIn, readDocuments } from './mentions'
import { rewrite } from './rename'

/**
 * Keeps a table as it is edited (`putTable`). Where one of its records is called otherwise from now on, whatever speaks of it by that name goes along in the same moment: placeholders of templates and
 * of workflows' versions, drafts and armed trials start with it. Workers wait until that is done.
 * @throws Refused with every problem of the definition, or where a workflow calls something else so
 */
export async function keepTable(pool: Pool, table: TableDef, by: number | null): Promise<void> {
  await transaction(pool, async (db) => {
    const old = await maybeOne<{ singular: string }>(db, 'select singular from rappel.table_def where name = $1', [table.name])
    const isCalledAnew = old !== null && old.singular !== table.singular
    if (isCalledAnew) await holdOffWorkers(db)
    await lockTables(db)
    const [schema, documents] = isCalledAnew ? [await readSchema(db), await readDocuments(db)] : [null, null]
    await putTableIn(db, table)
    const was = schema?.get(table.name)
    if (!schema || !documents || !was) return
    requireUnused(documents, table)
    const isRecordSafer = isTakenInFormula(table.singular) || [...was.fields, ...table.fields].some((field) => field.name === table.singular)
    const singular = { from: was.singular, to: isRecordSafer ? 'record' : table.singular }
    const mentions = mentionsIn(documents, { schema, table: table.name, from: NOWHERE, to: NOWHERE, singular })
    await rewrite(db, mentions, `One of ${table.label} is called ${table.singular.replaceAll('_', ' ')} now`, by)
    await db.query('select rappel.next_generation()')
  })
}

/** The names that a workflow gives within itself: to what it brings in, to values, to entries that it goes through. */
const namesWithin = ({ bringIn = [], values = [], actions }: Workflow): string[] => [
  ...bringIn.map((bring) => bring.name),
  ...values.map((value) => value.name),
  ...everyAction(actions).flatMap((action) => (action.do === 'each' ? [action.as] : [])),
]

/** Refuses a name for a record by which a workflow about it calls something else. @throws Refused naming them */
function requireUnused({ drafts, versions, trials }: Documents, { name, singular }: TableDef): void {
  const inForce = versions.filter((version) => version.inForce)
  const speaking = [...drafts, ...inForce, ...trials].filter(({ document }) => document.table === name && namesWithin(document).includes(singular))
  if (speaking.length === 0) return
  const users = [...new Set(speaking.map(({ document }) => document.name))]
  const message = `${users.join(', ')} ${users.length === 1 ? 'calls' : 'call'} something else “${singular}”. Give that another name there first, or choose another one here.`
  throw new Refused('conflict', message, [{ code: 'in use', path: '/singular', message }])
}
