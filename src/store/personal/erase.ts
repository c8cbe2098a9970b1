import { ERASED, ERASED_TEXT, mentionsOf, mentionsOfAddress } from '@/core/recipients/mentions'
import type { Schema } from '@/core/values/tables'
import { many, type Queryable, touch } from '../database'
import { identityOf, personOf, readNamed } from './find'
import { asArguments, DONE_BY, eraseFrom, OF_OTHERS, OF_THE_LOG, speaks } from './mentions'
import { eraseFromRecords } from './records'

/** What was erased, counted. */
export interface Erased {
  /** Mail to the address. */
  readonly messages: number
  /** Mail to others that spoke of it. */
  readonly others: number
  /** Fields of records. */
  readonly records: number
  readonly person: boolean
  /** What still has it, as sentences that say what to do. */
  readonly left: readonly string[]
}

/**
 * Erases what is kept of an address: texts of mail to it, the address, name and phone wherever the log of runs, waits and the rest has them, the person who has it, and what the change log
 * says of them. That there was a message, a run or a change stays, without what it said. With `everywhere` the fields of records that hold the address are emptied, with their past, and what
 * mail to others says of them is taken out.
 */
export async function erasePersonal(db: Queryable, schema: Schema, address: string, everywhere: boolean): Promise<Erased> {
  const person = await personOf(db, address)
  const mentions = mentionsOf(identityOf(address, person?.is ?? null))
  const messages = await emptyMail(db, address)
  for (const place of OF_THE_LOG) await eraseFrom(db, place, mentions)
  const others = everywhere ? await eraseFrom(db, OF_OTHERS, mentions) : 0
  await touch(db, `delete from rappel.passed where ${speaks('key')}`, asArguments(mentions))
  await touch(db, 'delete from rappel.suppression where address = rappel.folded($1)', [address])
  await touch(db, 'delete from rappel.own_say where address = rappel.folded($1)', [address])
  await touch(
    db,
    'update rappel.person_group set addresses = array(select a from unnest(addresses) a where rappel.folded(a) <> rappel.folded($1)) where rappel.folded($1) in (select rappel.folded(a) from unnest(addresses) a)',
    [address],
  )
  const { fields, left } = everywhere ? await eraseFromRecords(db, schema, mentionsOfAddress(address)) : { fields: 0, left: [] }
  if (everywhere) await eraseFromFigures(db, address)
  if (person) await erasePerson(db, person.id)
  await db.query('select rappel.erase_from_audit($1, $2, $3, $4)', [...asArguments(mentions), person?.id ?? null])
  await db.query('select rappel.next_generation()')
  const named = (await readNamed(db, address)).map(({ what, name }) => `The ${what} ${name} names it, and does so until it is changed.`)
  return { messages, others, records: fields, person: person !== null, left: [...left, ...named] }
}

/** Takes the texts out of all mail to an address, and calls off what waits; how many messages. */
async function emptyMail(db: Queryable, address: string): Promise<number> {
  const messages = (await many<{ message: number }>(db, 'select distinct message from rappel.message_recipient where rappel.folded(address) = rappel.folded($1)', [address])).map(
    (m) => m.message,
  )
  await touch(
    db,
    `update rappel.message set subject = $2, html = '', body = '', attachments = null, digest_row = null, stop_link = null, last_reply = case when last_reply is not null then $2 end, emptied_at = now(),
            state = case when state in ('queued', 'held') then 'cancelled' else state end, finished_at = coalesce(finished_at, now()) where id = any($1::bigint[])`,
    [messages, ERASED_TEXT],
  )
  await touch(
    db,
    'update rappel.message_recipient set address = $2, name = null, path = null, reply = case when reply is not null then $3 end where rappel.folded(address) = rappel.folded($1)',
    [address, ERASED, ERASED_TEXT],
  )
  await touch(db, 'update rappel.delivery_attempt set reply = $2 where message = any($1::bigint[])', [messages, ERASED_TEXT])
  await touch(db, 'update rappel.bounce set address = $2, diagnostic = $3 where address = rappel.folded($1)', [address, ERASED, ERASED_TEXT])
  return messages.length
}

/** The hours that are kept of a figure's group go where the group is the address; what a figure stands at follows its records. */
async function eraseFromFigures(db: Queryable, address: string): Promise<void> {
  const isOfIt = `exists (select from jsonb_path_query(grp, 'strict $.** ? (@.type() == "string")') v where rappel.folded(v #>> '{}') = rappel.folded($1))`
  await touch(db, `delete from rappel.figure_hour where ${isOfIt}`, [address])
  await touch(db, `delete from rappel.figure_value where n = 0 and ${isOfIt}`, [address])
}

/** Takes a person's name, address and ways in away, and what the log says of them; their place in runs and records stays, without a name. */
async function erasePerson(db: Queryable, id: number): Promise<void> {
  await touch(
    db,
    `update rappel.person set name = $2, first_name = null, last_name = null, phone = null, email = 'erased-' || id || '@erased.invalid', active = false, role = null, password_hash = null where id = $1`,
    [id, ERASED_TEXT],
  )
  for (const table of ['session', 'api_token', 'account_link']) await touch(db, `delete from rappel.${table} where person = $1`, [id])
  await touch(db, 'delete from rappel.group_member where person = $1', [id])
  await touch(
    db,
    `update rappel.change_json set
       before = (select jsonb_object_agg(k, case when k in ('name', 'first_name', 'last_name', 'phone', 'email') and v <> 'null' then '"Erased"'::jsonb else v end) from jsonb_each(before) x (k, v)),
       after = (select jsonb_object_agg(k, case when k in ('name', 'first_name', 'last_name', 'phone', 'email') and v <> 'null' then '"Erased"'::jsonb else v end) from jsonb_each(after) x (k, v))
      where tbl = 'person' and rec::text = $1::text`,
    [String(id)],
  )
  for (const table of DONE_BY) await touch(db, `update rappel.${table} set by = by || jsonb_build_object('name', $2::text) where (by ->> 'person')::bigint = $1`, [id, ERASED_TEXT])
  await touch(db, `update rappel.actor set by = by || jsonb_build_object('name', $2::text), key = 'erased ' || id where person = $1`, [id, ERASED_TEXT])
}
