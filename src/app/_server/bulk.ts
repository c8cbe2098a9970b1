import { importField } from '@/core/bulk/columns'
import type { Condition } from '@/core/document/condition'
import { readCondition } from '@/core/document/schema'
import { KEY_WORDS, parseRecord, readId } from '@/core/values/parse'
import type { Ways } from '@/core/values/plain'
import type { RecordId, TableDef } from '@/core/values/tables'
import type { FileAsked } from '@/engine/bulk/opened'
import type { Bulk } from '@/engine/bulk/write'
import type { Actor } from './actor'
import { requireOwnFiles } from './file-access'
import { Problem } from './problem'
import { objectOf } from './reading'

/** Whether something is to be done quietly. @throws Problem where that is asked for by anybody but an administrator */
export function quietOf({ role }: Actor, quiet: boolean): boolean {
  if (quiet && role !== 'administrator') throw new Problem(403, 'Not allowed', 'Only an administrator may write quietly: workflows would let it pass by.')
  return quiet
}

/** A yes or no of a query: there, or `true`, is yes. @throws Problem */
export function flagOf(query: URLSearchParams, name: string): boolean {
  const text = query.get(name)
  if (text === null || text === 'false') return false
  if (text === '' || text === 'true') return true
  throw new Problem(422, 'Not valid', `${name} is true or false, not ${JSON.stringify(text)}.`)
}

/** Which records a mass edit or deletion is about. @throws Problem */
export function whichOf(table: TableDef, ids: unknown, where: unknown): { ids: RecordId[] } | { where: Condition } {
  const known = Array.isArray(ids) && where === undefined ? ids.map((id) => readId(table, id)).filter((id) => id !== null) : null
  if (known && Array.isArray(ids) && known.length === ids.length) return { ids: known }
  const read = ids === undefined && where !== undefined ? readCondition(where) : null
  if (read && 'condition' in read) return { where: read.condition }
  throw new Problem(
    422,
    'Not valid',
    `Say which records: ids (a list of them, each ${KEY_WORDS[table.key ?? 'number']}) or where (a condition), one of them.`,
    read ? { problems: read.problems } : {},
  )
}

/** A mass edit or deletion of a body: `{ ids | where, set | delete: true }`. @throws Problem */
export async function bulkOf(actor: Actor, table: TableDef, body: unknown): Promise<Bulk & { kind: 'edit' | 'delete' }> {
  const { ids, where, set, delete: deletes, ...unknown } = objectOf(body)
  if (Object.keys(unknown).length) throw new Problem(422, 'Not valid', 'A mass edit takes ids or where, and set; a mass deletion ids or where.')
  const which = whichOf(table, ids, where)
  if (deletes === true && set === undefined) return { kind: 'delete', table: table.name, which }
  const { image, problems } = parseRecord(table, objectOf(set), { whole: false })
  if (problems.length || Object.keys(image).length === 0) throw new Problem(422, 'Not valid', 'Nothing was changed.', { problems })
  await requireOwnFiles(actor, table, image)
  return { kind: 'edit', table: table.name, which, set: image }
}

/** A file's import as a query asks for it. @throws Problem */
export function fileOf(table: TableDef, query: URLSearchParams): Omit<FileAsked, 'path'> {
  const key = query.get('key') || null
  if (key !== null && (!importField(table, key) || (key === 'id' && table.key === undefined && flagOf(query, 'deleteMissing'))))
    throw new Problem(422, 'Not valid', `key is a field of ${table.label} that the file has, not ${JSON.stringify(key)}.`)
  const deleteMissing = flagOf(query, 'deleteMissing')
  if (deleteMissing && key === null) throw new Problem(422, 'Not valid', 'deleteMissing needs a key: without one it is not known what is missing.')
  const [decimal, dates] = [query.get('decimal'), query.get('dates')]
  if (decimal !== null && decimal !== '.' && decimal !== ',') throw new Problem(422, 'Not valid', 'decimal is . or ,')
  if (dates !== null && dates !== 'ymd' && dates !== 'dmy' && dates !== 'mdy') throw new Problem(422, 'Not valid', 'dates is ymd, dmy or mdy.')
  const ways: Partial<Ways> = { ...(decimal === null ? {} : { decimal }), ...(dates === null ? {} : { dates }) }
  return { columns: columnsIn(table, query.get('columns')), ways, key, deleteMissing, partly: flagOf(query, 'partly') }
}

function columnsIn(table: TableDef, text: string | null): NonNullable<FileAsked['columns']> {
  if (text === null) return {}
  let read: unknown
  try {
    read = JSON.parse(text)
  } catch {
    throw new Problem(422, 'Not valid', 'columns is a JSON object of heading to field.')
  }
  const columns = Object.entries(objectOf(read)).map(([heading, field]): [string, string | null] => {
    if (field !== null && (typeof field !== 'string' || !importField(table, field)))
      throw new Problem(422, 'Not valid', `${table.label} has no field ${JSON.stringify(field)} that a file can fill.`)
    return [heading, field]
  })
  return Object.fromEntries(columns)
}
