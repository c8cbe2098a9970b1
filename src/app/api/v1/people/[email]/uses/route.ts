import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { isPersonNamed } from '@/core/workflow/uses'
import { listGroups, listPeople, personByEmail } from '@/store/people'
import { listWorkflows } from '@/store/workflows'

/** What a person's leaving would touch: workflows that name them, groups they are in, and whose manager they are. */
export const GET = route('GET /api/v1/people/[email]/uses', async ({ params }) => {
  const person = await personByEmail(pool(), params.email)
  if (!person) throw new Problem(404, 'Not found', `Nobody here has the address ${params.email}.`)
  const [workflows, groups, people] = await Promise.all([listWorkflows(pool()), listGroups(pool()), listPeople(pool())])
  return {
    workflows: workflows.filter((w) => w.keeper === person.id || isPersonNamed(w, person.email)).map((w) => w.name),
    groups: groups.filter((g) => g.people.some((e) => e.toLowerCase() === person.email.toLowerCase())).map((g) => g.name),
    manages: people.filter((p) => p.manager === person.id && p.active).map((p) => p.name),
  }
})
