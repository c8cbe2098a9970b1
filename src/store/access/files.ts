import type { Schema } from '@/core/values/tables'
import { maybeOne, type Queryable, quote } from '../database'

/**
 * Whether a member may read a file: one that they brought, one that a record points at (members read all records), or one that came with mail to them.
 */
export async function mayMemberReadFile(db: Queryable, schema: Schema, file: number, member: { readonly person: number | null; readonly email: string | null }): Promise<boolean> {
  const pointing = [...schema.values()].flatMap((table) =>
    table.fields.filter((f) => f.type === 'file').map((f) => `exists (select from data.${quote(table.name)} where ${quote(f.name)} = $1)`),
  )
  const ways = [
    'exists (select from rappel.file where id = $1 and by = $2::bigint)',
    ...pointing,
    `exists (select from rappel.message_recipient r join rappel.message m on m.id = r.message
              where rappel.folded(r.address) = rappel.folded($3::text) and m.attachments @> jsonb_build_array(jsonb_build_object('file', $1::bigint)))`,
  ]
  return (await maybeOne(db, `select 1 as yes where ${ways.join(' or ')}`, [file, member.person, member.email])) !== null
}
