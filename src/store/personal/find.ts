import { type Identity, mentionsOf, mentionsOfAddress } from '@/core/recipients/mentions'
import type { Schema } from '@/core/values/tables'
import { many, maybeOne, one, type Queryable } from '../database'
import { asArguments, OF_OTHERS, OF_RUNS, rowSpeaks, speaks } from './mentions'
import { type Holding, readHoldings } from './records'

type Row = Readonly<Record<string, unknown>>

/** What is kept of an address, but for mail and runs, of which there may be any number. */
export interface Personal {
  readonly address: string
  readonly person: Row | null
  /** Fields of records that hold it. */
  readonly records: readonly Holding[]
  readonly groups: readonly string[]
  readonly suppressed: Row | null
  readonly wishes: readonly Row[]
  readonly sessions: readonly Row[]
  /** What is set up with it: workflows, templates and so on that name it. */
  readonly named: readonly Row[]
}

/** How much mail and how many runs there are. */
export interface Counted {
  /** Mail to it. */
  readonly messages: number
  /** Mail to others that speaks of it. */
  readonly others: number
  /** Runs that speak of it. */
  readonly runs: number
}

export const LIST_NAMES = ['messages', 'others', 'runs'] as const
export type ListName = (typeof LIST_NAMES)[number]

/** A list that is read a piece at a time: `pieces` reads what comes after an id, of at most so many messages or runs, and `count` says how many there are. */
interface List {
  readonly pieces: string
  readonly count: string
}

const TO_THEM = 'from rappel.message_recipient r where rappel.folded(r.address) = rappel.folded($4)'
const OTHERS = `from rappel.message t where not exists (select from rappel.message_recipient r where r.message = t.id and rappel.folded(r.address) = rappel.folded($4)) and ${rowSpeaks(OF_OTHERS)}`
const RUNS = `from rappel.run t where ${rowSpeaks(OF_RUNS)}`

/** Mail to an address; mail to others that speaks of whoever has it, which is theirs, and so without its texts; and runs that do. */
const LISTS: Readonly<Record<ListName, List>> = {
  messages: {
    pieces: `select m.id, m.message_id, m.created_at, m.finished_at, m.state, m.tbl as table, m.rec as record, m.subject, m.body, m.html, r.part, r.name, r.state as delivered, r.reply
        from rappel.message m join rappel.message_recipient r on r.message = m.id and rappel.folded(r.address) = rappel.folded($4)
       where m.id in (select distinct r.message ${TO_THEM} and r.message > $5 order by 1 limit $6) order by m.id`,
    count: `select count(distinct r.message) as n ${TO_THEM}`,
  },
  others: {
    pieces: `select t.id, t.message_id, t.created_at, t.state, t.tbl as table, t.rec as record ${OTHERS} and t.id > $5 order by t.id limit $6`,
    count: `select count(*) as n ${OTHERS}`,
  },
  runs: {
    pieces: `select t.id, (select w.name from rappel.workflow w where w.id = t.workflow) as workflow, t.at, t.tbl as table, t.rec as record, t.title ${RUNS} and t.id > $5 order by t.id limit $6`,
    count: `select count(*) as n ${RUNS}`,
  },
}

/** Statements name what they are handed by places, some not all of it: this names the rest, and finds the same. */
const naming = (text: string) => `with given as (select $1::text[], $2::text[], $3::text[], $4::text) ${text}`

/** Messages or runs that are read at once: texts of mail may be long. */
const PIECE = 50

/** Reads a list piece by piece. */
export async function* readPieces(db: Queryable, who: Identity, list: ListName): AsyncGenerator<readonly Row[]> {
  for (let after = 0; ; ) {
    const rows = await many<Row & { readonly id: number }>(db, naming(LISTS[list].pieces), [...asArguments(mentionsOf(who)), who.address, after, PIECE])
    if (rows.length === 0) return
    yield rows
    after = rows[rows.length - 1]?.id ?? after
  }
}

/** What names an address that people set up, as SQL: what it is, what it is called, and the text or JSON to look in. */
const SET_UP: readonly (readonly [what: string, name: string, said: string, from: string])[] = [
  ['workflow', 'w.name', 'w.draft::jsonb', 'rappel.workflow w'],
  ['workflow', `w.name || ', version ' || v.version`, 'v.document::jsonb', 'rappel.workflow_version v join rappel.workflow w on w.id = v.workflow'],
  ['template', 't.name', 't.subject', 'rappel.template t'],
  ['template', 't.name', 't.body', 'rappel.template t'],
  ['template', `t.name || ', an earlier version'`, 't.document::jsonb', 'rappel.template_version t'],
  ['figure', 'f.name', 'f.definition::jsonb', 'rappel.figure f'],
  ['sender', 's.name', 's.address', 'rappel.sender s'],
  ['import', 'i.name', 'i.definition', 'rappel.import_def i'],
  ['view', 'v.name', 'v.definition', 'rappel.view v'],
  ['setting', 's.key', 's.value', `(select key, value from rappel.setting where key <> 'demo') s`],
]

const SAID = SET_UP.map(([what, name, said, from]) => `select '${what}' as what, ${name} as name from ${from} where ${speaks(said)}`).join(' union ')

/** The person who has an address, as a record; null where nobody here has. */
export const personOf = (db: Queryable, address: string) =>
  maybeOne<{ id: number; is: Row }>(db, 'select to_jsonb(p) as is, p.id from rappel.person_record p where rappel.folded(p.email) = rappel.folded($1)', [address])

/** What the person who has an address is told by in texts, or the address alone. */
export function identityOf(address: string, person: Row | null): Identity {
  const text = (name: string) => (typeof person?.[name] === 'string' ? person[name] : null)
  return { address, name: text('name'), phone: text('phone') }
}

/** Gathers what is kept of an address, but for mail and runs. */
export async function readPersonal(db: Queryable, schema: Schema, address: string): Promise<Personal> {
  const person = await personOf(db, address)
  const id = person?.id ?? null
  return {
    address,
    person: person?.is ?? null,
    records: await readHoldings(db, schema, mentionsOfAddress(address)),
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
    named: await readNamed(db, address),
  }
}

/** What is set up with an address. */
export const readNamed = (db: Queryable, address: string): Promise<{ readonly what: string; readonly name: string }[]> =>
  many(db, `select what, name from (${SAID}) n order by what, name`, asArguments(mentionsOfAddress(address)))

/** Counts the mail and the runs that are kept of somebody. */
export async function countPersonal(db: Queryable, who: Identity): Promise<Counted> {
  const count = async (list: ListName) => (await one<{ n: number }>(db, naming(LISTS[list].count), [...asArguments(mentionsOf(who)), who.address])).n
  return { messages: await count('messages'), others: await count('others'), runs: await count('runs') }
}
