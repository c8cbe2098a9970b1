import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { listPeople } from '@/store/people'

export const GET = route('GET /api/v1/people', async () => {
  const people = await listPeople(pool())
  const emails = new Map(people.map((p) => [p.id, p.email]))
  return { people: people.map((p) => ({ ...p, manager: p.manager === null ? null : (emails.get(p.manager) ?? null) })) }
})
