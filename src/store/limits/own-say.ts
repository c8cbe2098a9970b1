import type { OwnSay, Said } from '@/core/limits/own-say'
import { many, maybeOne, type Queryable, touch } from '../database'
import { IS_GOT, MAIL } from './counted-mail'

/** What somebody asked for of a workflow, as administrators see it. */
export interface SaidRow extends OwnSay {
  readonly workflow: string
  readonly address: string
}

const finding = (rows: readonly (OwnSay & { readonly address: string })[]): Said => {
  const said = new Map(rows.map(({ address, say, at }) => [address, { say, at }]))
  return (address) => said.get(address.trim().toLowerCase()) ?? null
}

/** What some addresses asked for of workflows, by workflow. */
export async function saidBy(db: Queryable, asked: readonly { readonly workflow: number; readonly address: string }[]): Promise<Map<number, Said>> {
  if (asked.length === 0) return new Map()
  const rows = await many<OwnSay & { workflow: number; address: string }>(
    db,
    'select workflow, address, say, at from rappel.own_say where (workflow, address) in (select w, rappel.folded(btrim(a)) from unnest($1::bigint[], $2::text[]) as u (w, a))',
    [asked.map((a) => a.workflow), asked.map((a) => a.address)],
  )
  return new Map([...new Set(rows.map((r) => r.workflow))].map((workflow) => [workflow, finding(rows.filter((r) => r.workflow === workflow))]))
}

/** All that was asked for of a workflow, by its name; null where nobody asked for anything, or there is no such workflow. */
export async function saidOf(db: Queryable, name: string): Promise<Said | null> {
  const rows = await many<SaidRow>(db, 'select s.address, s.say, s.at from rappel.own_say s join rappel.workflow w on w.id = s.workflow where w.name = $1', [name])
  return rows.length ? finding(rows) : null
}

/** The workflows of which somebody asked for something. */
export async function workflowsWithSay(db: Queryable): Promise<Set<number>> {
  return new Set((await many<{ workflow: number }>(db, 'select distinct workflow from rappel.own_say')).map((r) => r.workflow))
}

/** Notes what somebody asks for of a workflow, or with null that they ask for nothing any more; workers are told where it is the first of its workflow. Whether there is such a workflow. */
export async function writeSay(db: Queryable, workflow: number, address: string, say: OwnSay['say'] | null, now: Date): Promise<boolean> {
  if (say === null) return (await touch(db, 'delete from rappel.own_say where workflow = $1 and address = rappel.folded($2)', [workflow, address])) > 0
  const isFirst = !(await maybeOne(db, 'select 1 as one from rappel.own_say where workflow = $1 limit 1', [workflow]))
  const written = await touch(
    db,
    `insert into rappel.own_say (workflow, address, say, at) select w.id, rappel.folded($2), $3, $4 from rappel.workflow w where w.id = $1
     on conflict (workflow, address) do update set say = excluded.say, at = excluded.at where own_say.say <> 'stop' or excluded.say = 'stop'`,
    [workflow, address, say, now],
  )
  if (written > 0 && isFirst) await db.query('select rappel.next_generation()')
  return written > 0 || !isFirst
}

/** Whoever said stop, by address; at most so many, those after one where it is given. */
export const listStops = (db: Queryable, limit: number, after: string | null = null): Promise<SaidRow[]> =>
  many<SaidRow>(
    db,
    `select w.name as workflow, s.address, s.say, s.at from rappel.own_say s join rappel.workflow w on w.id = s.workflow
      where s.say = 'stop' and ($2::text is null or s.address > $2) order by s.address, w.name limit $1`,
    [limit, after],
  )

/** Takes back what an address said of a workflow; whether it had said anything. */
export const takeBackSay = async (db: Queryable, workflow: string, address: string): Promise<boolean> =>
  (await touch(db, 'delete from rappel.own_say s using rappel.workflow w where w.id = s.workflow and w.name = $1 and s.address = rappel.folded($2)', [workflow, address])) > 0

/** A workflow that wrote to somebody, with what they asked for of it. */
export interface OwnMail {
  readonly workflow: number
  readonly name: string
  /** How many mails of it came, or are to come, a digest as one. */
  readonly mails: number
  /** When each was made, and each entry of a digest, oldest first. */
  readonly at: readonly Date[]
  readonly mayGather: boolean
  readonly say: OwnSay['say'] | null
}

/** The workflows that wrote to an address since a moment, those with most mail first. */
export const listOwnMail = (db: Queryable, address: string, since: Date): Promise<OwnMail[]> =>
  many<OwnMail>(
    db,
    `select w.id as workflow, w.name, count(distinct ${MAIL})::int as mails, array_agg(m.created_at order by m.created_at) as at,
            coalesce(((select v.document from rappel.workflow_version v where v.workflow = w.id and v.version = w.version) #>> '{limits,mayGather}')::boolean, false) as "mayGather",
            (select s.say from rappel.own_say s where s.workflow = w.id and s.address = rappel.folded($1)) as say
       from rappel.message m join rappel.message_recipient r on r.message = m.id join rappel.workflow w on w.id = m.workflow
      where rappel.folded(r.address) = rappel.folded($1) and m.created_at >= $2 and ${IS_GOT}
      group by w.id, w.name, w.version order by mails desc, w.name limit 100`,
    [address, since],
  )
