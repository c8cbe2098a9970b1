import type { Pool } from 'pg'
import { addressKey } from '@/core/recipients/address'
import { unaccented } from '@/core/values/letters'
import { type Queryable, transaction } from '@/store/database'
import { listPeople, type Person, type PersonInput, putPerson } from '@/store/people'
import { nameFromAddress, type Pasted, type PastedPerson } from './pasted'

/** Somebody of those that were pasted, as they are once it is done, and whether they are new here, others than they were, or the same. */
export interface AddedPerson {
  readonly email: string
  readonly name: string
  readonly team: string | null
  readonly manager: string | null
  readonly is: 'new' | 'changed' | 'same'
}

export interface Added extends Pick<Pasted, 'problems' | 'leftOut'> {
  readonly people: readonly AddedPerson[]
  readonly done: boolean
}

/**
 * Adds people who were pasted, all in one transaction; of somebody who is here already what the text says is changed, and all else stays. Rows that are nobody are left out, and told.
 * With `look` nothing is done, and what would be is told.
 */
export async function addPasted(pool: Pool, { people, problems, leftOut }: Pasted, look: boolean): Promise<Added> {
  return transaction(pool, async (db) => {
    const known = await listPeople(db)
    const here = { byEmail: new Map(known.map((p) => [addressKey(p.email), p])), emails: new Map(known.map((p) => [p.id, p.email])) }
    const find = finder(known, people)
    const told = [...problems]
    const wanted = people.map((pasted) => {
      const manager = pasted.manager === undefined ? undefined : find(pasted.manager)
      if (manager === null) told.push({ row: pasted.row, message: `Its manager “${pasted.manager}” is nobody here, nor in these rows; ${pasted.email} is taken without.` })
      return wantedOf(pasted, here, manager ?? undefined)
    })
    if (!look) await putAll(db, wanted)
    return { people: wanted.map((w) => w.shown), problems: told.sort((a, b) => a.row - b.row), leftOut, done: !look }
  })
}

/** Those who are here already, by e-mail, and their e-mails by id. */
interface Here {
  readonly byEmail: ReadonlyMap<string, Person>
  readonly emails: ReadonlyMap<number, string>
}

interface Wanted {
  readonly email: string
  readonly input: PersonInput
  readonly shown: AddedPerson
}

/** All of them without their managers, who may be among them, and then those. */
async function putAll(db: Queryable, wanted: readonly Wanted[]): Promise<void> {
  const others = wanted.filter((w) => w.shown.is !== 'same')
  for (const {
    email,
    input: { manager: _, ...input },
  } of others)
    await putPerson(db, email, input)
  for (const { email, input } of others) if (input.manager !== undefined) await putPerson(db, email, { manager: input.manager })
}

/** Finds the e-mail of whoever a manager's name or e-mail means, among those who are here and those who were pasted; null where it is nobody, or several. */
function finder(known: readonly Person[], people: readonly PastedPerson[]): (manager: string) => string | null {
  const emails = new Map([...people.map((p) => p.email), ...known.map((p) => p.email)].map((email) => [addressKey(email), email]))
  const byName = new Map<string, Set<string>>()
  const note = (name: string, email: string) => byName.set(unaccented(name), (byName.get(unaccented(name)) ?? new Set()).add(addressKey(email)))
  for (const { name, email } of known) note(name, email)
  for (const { first_name: first, last_name: last, email } of people) note([first, last].filter(Boolean).join(' '), email)
  return (manager) => {
    const [only, ...others] = byName.get(unaccented(manager.trim())) ?? []
    return emails.get(addressKey(manager)) ?? (only !== undefined && others.length === 0 ? (emails.get(only) ?? null) : null)
  }
}

function wantedOf({ email, row: _, manager: __, ...said }: PastedPerson, { byEmail, emails }: Here, manager: string | undefined): Wanted {
  const old = byEmail.get(addressKey(email))
  const names = old || said.first_name || said.last_name ? said : { ...said, ...nameFromAddress(email) }
  const first = names.first_name ?? old?.first_name
  const last = names.last_name ?? old?.last_name
  const isNamed = names.first_name !== undefined || names.last_name !== undefined
  const name = isNamed ? [first, last].filter(Boolean).join(' ') : (old?.name ?? email)
  const oldManager = emails.get(old?.manager ?? -1) ?? null
  const input = { ...names, name, ...(manager === undefined ? {} : { manager }) }
  const isSame = old !== undefined && Object.entries(input).every(([key, value]) => (key === 'manager' ? oldManager : Reflect.get(old, key)) === value)
  return {
    email: old?.email ?? email,
    input,
    shown: { email: old?.email ?? email, name, team: names.team ?? old?.team ?? null, manager: manager ?? oldManager, is: old ? (isSame ? 'same' : 'changed') : 'new' },
  }
}
