import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { deactivatePerson } from '@/store/people'
import { listWorkflows, pauseWorkflow } from '@/store/workflows'

/** Deactivates a person; with `successor` (an e-mail), that person takes their place in groups and as manager. Workflows of the person's own are paused. */
export const POST = route('POST /api/v1/people/[email]/deactivate', async ({ params, body }) => {
  const { successor } = await body()
  const person = await deactivatePerson(pool(), params.email, successor ?? null)
  for (const { name, state } of await listWorkflows(pool(), person.id)) if (state === 'live') await pauseWorkflow(pool(), name)
  return person
})
