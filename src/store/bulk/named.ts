import type { RecordId, Schema } from '@/core/values/tables'
import { many, type Queryable, quote, tableName } from '../database'

/** The ids of the people or records that texts name: people by e-mail or name, records by title or id; `several` where it may be more than one. Texts are in small letters. */
export async function findNamed(db: Queryable, schema: Schema, table: string, texts: readonly string[]): Promise<Map<string, RecordId | 'several'>> {
  const found = new Map<string, RecordId | 'several'>()
  const note = (rows: readonly { text: string; id: RecordId; n: number }[]) => {
    for (const { text, id, n } of rows) if (!found.has(text)) found.set(text, n > 1 ? 'several' : id)
  }
  const grouped = (column: string, from: string) =>
    many<{ text: string; id: RecordId; n: number }>(
      db,
      `select rappel.folded(${column}) as text, (array_agg(id order by id))[1] as id, count(*)::int as n from ${from} where rappel.folded(${column}) = any($1::text[]) group by 1`,
      [texts],
    )
  if (table === 'person') {
    note(await grouped('email', 'rappel.person'))
    note(await grouped('name', 'rappel.person'))
    note(await grouped('id::text', 'rappel.person'))
    return found
  }
  const target = schema.get(table)
  if (!target) return found
  note(await grouped(`${quote(target.titleField)}::text`, tableName(table)))
  note(await grouped('id::text', tableName(table)))
  return found
}
