import { patternOfAnyCase } from '@/core/values/letters'
import type { RecordId, Schema } from '@/core/values/tables'
import { many, maybeOne, type Queryable, quote, tableName, touch } from './database'

/** What stands in the place of what was erased; nobody has such an address (RFC 2606). */
export const ERASED = 'erased@erased.invalid'

/** A field of a record that holds somebody's address. */
export interface Holding {
  readonly table: string
  readonly record: RecordId
  readonly field: string
}

/** All that is kept of an address: of the person who has it, or of somebody outside. */
export interface PersonalData {
  readonly address: string
  readonly person: Readonly<Record<string, unknown>> | null
  readonly messages: readonly Readonly<Record<string, unknown>>[]
  readonly records: readonly Holding[]
  readonly groups: readonly string[]
  readonly suppressed: Readonly<Record<string, unknown>> | null
  readonly wishes: readonly Readonly<Record<string, unknown>>[]
  readonly sessions: readonly Readonly<Record<string, unknown>>[]
}

const addressFields = (schema: Schema) =>
  [...schema.values()].flatMap((table) =>
    table.name === 'person' ? [] : table.fields.filter((f) => f.type === 'email').map((field) => ({ table: table.name, field: field.name })),
  )

/** Records whose fields hold an address. */
async function holdings(db: Queryable, schema: Schema, address: string): Promise<Holding[]> {
  const found: Holding[] = []
  for (const { table, field } of addressFields(schema)) {
    const rows = await many<{ id: RecordId }>(db, `select id from ${tableName(table)} where rappel.folded(${quote(field)}) = rappel.folded($1) order by id`, [address])
    found.push(...rows.map(({ id }) => ({ table, record: id, field })))
  }
  return found
}

/** The person who has an address, as a record; null where nobody here has. */
const personOf = (db: Queryable, address: string) =>
  maybeOne<{ id: number; is: Record<string, unknown> }>(db, 'select to_jsonb(p) as is, p.id from rappel.person_record p where rappel.folded(p.email) = rappel.folded($1)', [
    address,
  ])

/** Gathers what is kept of an address, texts of mail included. */
export async function readPersonal(db: Queryable, schema: Schema, address: string): Promise<PersonalData> {
  const person = await personOf(db, address)
  const id = person?.id ?? null
  return {
    address,
    person: person?.is ?? null,
    messages: await many(
      db,
      `select m.id, m.message_id, m.created_at, m.finished_at, m.state, m.tbl as table, m.rec as record, m.subject, m.body, m.html, r.part, r.name, r.state as delivered, r.reply
         from rappel.message m join rappel.message_recipient r on r.message = m.id where rappel.folded(r.address) = rappel.folded($1) order by m.id`,
      [address],
    ),
    records: await holdings(db, schema, address),
    groups: (
      await many<{ name: string }>(
        db,
        `select g.name from rappel.person_group g where rappel.folded($1) in (select rappel.folded(a) from unnest(g.addresses) a) or exists (select from rappel.group_member m where m.group_name = g.name and m.person = $2) order by 1`,
        [address, id],
      )
    ).map((g) => g.name),
    suppressed: await maybeOne(db, 'select address, reason, at from rappel.suppression where address = rappel.folded($1)', [address]),
    wishes: await many(db, `select w.name as workflow, s.say, s.at from rappel.own_say s join rappel.workflow w on w.id = s.workflow where s.address = rappel.folded($1)`, [
      address,
    ]),
    sessions: id === null ? [] : await many(db, `select created_at, last_seen_at, agent from rappel.session where person = $1`, [id]),
  }
}

/** What was erased, counted. */
export interface Erased {
  readonly messages: number
  readonly records: number
  readonly person: boolean
}

/**
 * Erases what is kept of an address: texts of mail to it, the address and name wherever they stand in mail, runs and wishes, the person who has it, and what the change log says of
 * them. That there was a message, a run or a change stays, without what it said. With `records` fields that hold the address are emptied, and their past in the log too.
 */
export async function erasePersonal(db: Queryable, schema: Schema, address: string, records: boolean): Promise<Erased> {
  const person = await personOf(db, address)
  const held = records ? await holdings(db, schema, address) : []
  const messages = (await many<{ message: number }>(db, 'select distinct message from rappel.message_recipient where rappel.folded(address) = rappel.folded($1)', [address])).map(
    (m) => m.message,
  )
  await touch(
    db,
    `update rappel.message set subject = 'Erased', html = '', body = '', attachments = null, digest_row = null, stop_link = null, emptied_at = now(),
            state = case when state in ('queued', 'held') then 'cancelled' else state end, finished_at = coalesce(finished_at, now()) where id = any($1::bigint[])`,
    [messages],
  )
  await touch(
    db,
    'update rappel.message_recipient set address = $2, name = null, path = null, reply = case when reply is not null then $3 end where rappel.folded(address) = rappel.folded($1)',
    [address, ERASED, 'Erased'],
  )
  await touch(db, `update rappel.delivery_attempt set reply = 'Erased' where message = any($1::bigint[])`, [messages])
  await touch(db, 'update rappel.bounce set address = $2, diagnostic = $3 where address = rappel.folded($1)', [address, ERASED, 'Erased'])
  await touch(
    db,
    `update rappel.run r set trace = regexp_replace(r.trace::text, $2, $3, 'gi')::jsonb, title = case when r.title ~* $2 then 'Erased' else r.title end
      where r.id in (select m.run from rappel.message m where m.id = any($1::bigint[]) union select x.run from rappel.message_run x where x.message = any($1::bigint[]))`,
    [messages, patternOfAnyCase(address), ERASED],
  )
  await touch(db, 'delete from rappel.suppression where address = rappel.folded($1)', [address])
  await touch(db, 'delete from rappel.own_say where address = rappel.folded($1)', [address])
  await touch(
    db,
    'update rappel.person_group set addresses = array(select a from unnest(addresses) a where rappel.folded(a) <> rappel.folded($1)) where rappel.folded($1) in (select rappel.folded(a) from unnest(addresses) a)',
    [address],
  )
  if (records) await emptyFields(db, schema, address)
  if (person) await erasePerson(db, person.id)
  await eraseFromAudit(db, address, person?.is ?? null)
  await db.query('select rappel.next_generation()')
  return { messages: messages.length, records: held.length, person: person !== null }
}

async function emptyFields(db: Queryable, schema: Schema, address: string): Promise<void> {
  for (const { table, field } of addressFields(schema)) {
    await touch(db, `update ${tableName(table)} set ${quote(field)} = null where rappel.folded(${quote(field)}) = rappel.folded($1)`, [address])
    const log = (await maybeOne<{ name: string }>(db, 'select rappel.log_name($1)::text as name where to_regclass(rappel.log_name($1)::text) is not null', [table]))?.name
    if (!log) continue
    for (const column of [`a_${field}`, `b_${field}`])
      await touch(db, `update ${log} set ${quote(column)} = $2 where rappel.folded(${quote(column)}) = rappel.folded($1)`, [address, ERASED])
  }
}

/** The audit log keeps who did what and when, without what it said of whom it is erased for. */
async function eraseFromAudit(db: Queryable, address: string, person: PersonalData['person']): Promise<void> {
  const said = [address, person?.name, person?.phone].filter((text): text is string => typeof text === 'string' && text.trim() !== '')
  await db.query('select rappel.erase_from_audit($1)', [said.map(patternOfAnyCase)])
}

/** Takes a person's name, address and ways in away, and what the log says of them; their place in runs and records stays, without a name. */
async function erasePerson(db: Queryable, id: number): Promise<void> {
  await touch(
    db,
    `update rappel.person set name = 'Erased', first_name = null, last_name = null, phone = null, email = 'erased-' || id || '@erased.invalid', active = false, role = null, password_hash = null where id = $1`,
    [id],
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
}
