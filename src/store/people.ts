import type { Pool } from 'pg'
import type { Group } from '@/core/paths/lookups'
import type { Image } from '@/core/values/tables'
import { many, maybeOne, one, type Queryable, touch, transaction } from './database'
import { keptByGeneration } from './generation'
import { removeNamed } from './named'
import { Refused } from './problems'

export type Role = 'administrator' | 'editor' | 'member'

export interface Person {
  readonly id: number
  readonly name: string
  readonly first_name: string | null
  readonly last_name: string | null
  readonly email: string
  readonly phone: string | null
  readonly team: string | null
  readonly manager: number | null
  readonly active: boolean
  readonly role: Role | null
}

const COLUMNS = 'id, name, first_name, last_name, email, phone, team, manager, active, role'

/** Everybody, by name. */
export function listPeople(db: Queryable): Promise<Person[]> {
  return many<Person>(db, `select ${COLUMNS} from rappel.person order by name, id`)
}

/** Everybody as chosen and named, by name; as one value, for thousands of rows take longer to be read than to be sent. */
export const listNamed = keptByGeneration(
  async (db): Promise<readonly Pick<Person, 'id' | 'name' | 'email' | 'active'>[]> =>
    (
      await one<{ people: [id: number, name: string, email: string, active: boolean][] }>(
        db,
        `select coalesce(json_agg(p.said), '[]') as people from (select json_build_array(id, name, email, active) as said from rappel.person order by name, id) p`,
      )
    ).people.map(([id, name, email, active]) => ({ id, name, email, active })),
)

/** One person by e-mail, or null. */
export function personByEmail(db: Queryable, email: string): Promise<Person | null> {
  return maybeOne<Person>(db, `select ${COLUMNS} from rappel.person where rappel.folded(email) = rappel.folded($1)`, [email.trim()])
}

/** The active administrator who was there first, or null. */
export function firstAdministrator(db: Queryable): Promise<Person | null> {
  return maybeOne<Person>(db, `select ${COLUMNS} from rappel.person where role = 'administrator' and active order by id limit 1`)
}

/** What a person is made from; the manager is named by e-mail, and what is absent stays as it is. */
export interface PersonInput {
  readonly name?: string
  readonly first_name?: string | null
  readonly last_name?: string | null
  readonly phone?: string | null
  readonly team?: string | null
  readonly manager?: string | null
  readonly active?: boolean
  readonly role?: Role | null
}

/** Creates or changes the person with an e-mail. @throws Refused when the manager is not known */
export async function putPerson(db: Queryable, email: string, input: PersonInput): Promise<Person> {
  const manager = input.manager ? await personByEmail(db, input.manager) : null
  if (input.manager && !manager)
    throw new Refused('invalid', `Nobody here has the address ${input.manager}.`, [
      { code: 'unknown person', path: '/manager', message: 'Give the e-mail of somebody who is there already.' },
    ])
  const old = await personByEmail(db, email)
  const next = { ...old, ...input, manager: input.manager === undefined ? (old?.manager ?? null) : (manager?.id ?? null) }
  const name = next.name?.trim() || [next.first_name, next.last_name].filter(Boolean).join(' ') || email
  const values = [name, next.first_name ?? null, next.last_name ?? null, next.phone ?? null, next.team ?? null, next.manager, next.active ?? true, next.role ?? null]
  const row = old
    ? await one<Person>(
        db,
        `update rappel.person set name = $1, first_name = $2, last_name = $3, phone = $4, team = $5, manager = $6, active = $7, role = $8, updated_at = now()
          where id = $9 returning ${COLUMNS}`,
        [...values, old.id],
      )
    : await one<Person>(
        db,
        `insert into rappel.person (name, first_name, last_name, phone, team, manager, active, role, email) values ($1, $2, $3, $4, $5, $6, $7, $8, $9) returning ${COLUMNS}`,
        [...values, email.trim()],
      )
  await db.query('select rappel.next_generation()')
  return row
}

/** Names of people by lower-case e-mail, for wording. */
export async function namesByEmail(db: Queryable): Promise<ReadonlyMap<string, string>> {
  return (await peopleByEmail(db)).names
}

/** Names of people by their ids. */
export async function namesById(db: Queryable, ids: readonly number[]): Promise<Map<number, string>> {
  return new Map((await many<{ id: number; name: string }>(db, 'select id, name from rappel.person where id = any($1)', [ids])).map(({ id, name }) => [id, name]))
}

/** Ids and names of people by lower-case e-mail, for compiling and wording. */
export const peopleByEmail = keptByGeneration(async (db): Promise<{ ids: ReadonlyMap<string, number>; names: ReadonlyMap<string, string> }> => {
  const people = await listNamed(db)
  return {
    ids: new Map(people.map((p) => [p.email.toLowerCase(), p.id])),
    names: new Map(people.map((p) => [p.email.toLowerCase(), p.name])),
  }
})

export interface GroupRow {
  readonly name: string
  readonly people: string[]
  readonly addresses: string[]
  /** How many of its people are active. */
  readonly active: number
}

/** Every group with the e-mails of its people and its addresses. */
export function listGroups(db: Queryable): Promise<GroupRow[]> {
  return many<GroupRow>(
    db,
    `select g.name, g.addresses,
            coalesce(array_agg(p.email order by m.position) filter (where p.id is not null), '{}') as people,
            count(*) filter (where p.active)::int as active
       from rappel.person_group g
       left join rappel.group_member m on m.group_name = g.name
       left join rappel.person p on p.id = m.person
      group by g.name order by g.name`,
  )
}

/** Creates a group or replaces who is in it. @throws Refused naming the e-mails that nobody has */
export async function putGroup(db: Queryable, name: string, people: readonly string[], addresses: readonly string[]): Promise<void> {
  const found = await many<{ id: number; email: string }>(db, 'select id, rappel.folded(email) as email from rappel.person where rappel.folded(email) = any($1)', [
    people.map((e) => e.toLowerCase()),
  ])
  const problems = people
    .map((email, i) => ({ email, i }))
    .filter(({ email }) => !found.some((f) => f.email === email.toLowerCase()))
    .map(({ email, i }) => ({ code: 'unknown person', path: `/people/${i}`, message: `Nobody here has the address ${email}.` }))
  if (problems.length) throw new Refused('invalid', `The group ${name} names people who are not there.`, problems)
  await touch(db, 'insert into rappel.person_group (name, addresses) values ($1, $2) on conflict (name) do update set addresses = $2', [name, addresses])
  const ids = [...new Set(people.map((email) => found.find((f) => f.email === email.toLowerCase())?.id))]
  await touch(db, 'delete from rappel.group_member where group_name = $1 and person <> all($2::bigint[])', [name, ids])
  await touch(
    db,
    `insert into rappel.group_member (group_name, person, position) select $1, p, o from unnest($2::bigint[]) with ordinality as u (p, o)
     on conflict (group_name, person) do update set position = excluded.position where group_member.position <> excluded.position`,
    [name, ids],
  )
  await db.query('select rappel.next_generation()')
}

/** Removes a group; whether there was one. Its people stay. */
export const removeGroup = (db: Queryable, name: string): Promise<boolean> => removeNamed(db, 'person_group', name)

/** The people (as images) and addresses of a group; null where there is no such group. */
export async function readGroup(db: Queryable, name: string): Promise<Group | null> {
  const group = await maybeOne<{ addresses: string[] }>(db, 'select addresses from rappel.person_group where name = $1', [name])
  if (!group) return null
  const people = await many<Image>(db, `select ${prefixed('p')} from rappel.group_member m join rappel.person p on p.id = m.person where m.group_name = $1 order by m.position`, [
    name,
  ])
  return { people, addresses: group.addresses }
}

/** The people of a team, as images. */
export function readTeam(db: Queryable, name: string): Promise<Image[]> {
  return many<Image>(db, `select ${COLUMNS} from rappel.person where team = $1 order by name, id`, [name])
}

/** Every team's name. */
export async function listTeams(db: Queryable): Promise<string[]> {
  return (await many<{ team: string }>(db, 'select distinct team from rappel.person where team is not null order by team')).map((r) => r.team)
}

/** The names of the teams of which nobody is active. */
export async function listEmptyTeams(db: Queryable): Promise<string[]> {
  const rows = await many<{ team: string }>(db, 'select team from rappel.person where team is not null group by team having not bool_or(active)')
  return rows.map((r) => r.team)
}

function prefixed(alias: string): string {
  return COLUMNS.split(', ')
    .map((c) => `${alias}.${c}`)
    .join(', ')
}

/**
 * Ends a person's time here: they get no more mail and cannot sign in. Whoever takes over stands in their place in groups and as manager.
 * @throws Refused where either is not known, or both are the same
 */
export async function deactivatePerson(pool: Pool, email: string, successorEmail: string | null): Promise<Person> {
  return transaction(pool, async (db) => {
    const person = await personByEmail(db, email)
    if (!person) throw new Refused('not found', `Nobody here has the address ${email}.`)
    const successor = successorEmail ? await personByEmail(db, successorEmail) : null
    if (successorEmail && (!successor?.active || successor.id === person.id))
      throw new Refused('invalid', `${successorEmail} cannot take over: it is nobody active here, or the same person.`)
    if (successor) {
      await touch(
        db,
        'insert into rappel.group_member (group_name, person, position) select group_name, $2, position from rappel.group_member where person = $1 on conflict do nothing',
        [person.id, successor.id],
      )
      await touch(db, 'update rappel.person set manager = $2, updated_at = now() where manager = $1 and id <> $2', [person.id, successor.id])
    }
    await touch(db, 'delete from rappel.group_member where person = $1', [person.id])
    await touch(db, 'delete from rappel.session where person = $1', [person.id])
    const row = await one<Person>(db, `update rappel.person set active = false, updated_at = now() where id = $1 returning ${COLUMNS}`, [person.id])
    await db.query('select rappel.next_generation()')
    return row
  })
}

/** The team of a person, or null. */
export async function readPersonTeam(db: Queryable, person: number): Promise<string | null> {
  return (await maybeOne<{ team: string | null }>(db, 'select team from rappel.person where id = $1', [person]))?.team ?? null
}

/** The names of the groups that a person is in. */
export async function groupsOfPerson(db: Queryable, person: number): Promise<string[]> {
  return (await many<{ name: string }>(db, 'select group_name as name from rappel.group_member where person = $1 order by 1', [person])).map((r) => r.name)
}
