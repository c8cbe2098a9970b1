import { listPeople } from '@/store/people'
import { pool } from './environment'

/** Every person as the API shows them: the manager by e-mail. */
export async function shownPeople() {
  const people = await listPeople(pool())
  const emails = new Map(people.map((p) => [p.id, p.email]))
  return people.map((p) => ({ ...p, manager: p.manager === null ? null : (emails.get(p.manager) ?? null) }))
}
