import type { RecordId, TableDef } from '@/core/values/tables'

/** The type that SQL holds the ids of a table's records in. */
export const keyType = (table: Pick<TableDef, 'key'> | undefined): string => table?.key ?? 'bigint'

/** An id as a parameter where records of any table are pointed at, as JSON: as `rappel.key_of` writes it. */
export function keyJson(id: RecordId): string {
  return JSON.stringify(typeof id === 'number' && !Number.isSafeInteger(id) ? String(id) : id)
}
