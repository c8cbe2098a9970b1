import * as yup from 'yup'
import { pool } from '@/app/_server/environment'
import { objectOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { shaped } from '@/app/_server/shape'
import { deactivatePerson } from '@/store/people'
import { listWorkflows, pauseWorkflow } from '@/store/workflows'

const leavingSchema = yup.object({ successor: yup.string().strict().nullable() }).noUnknown().strict()

/** Deactivates a person; with `successor` (an e-mail), that person takes their place in groups and as manager. Workflows of the person's own are paused. */
export const POST = route('POST /api/v1/people/[email]/deactivate', async ({ params, json }) => {
  const { successor } = shaped(leavingSchema, objectOf(await json()), 'The person was not deactivated.')
  const person = await deactivatePerson(pool(), params.email, successor ?? null)
  for (const { name, state } of await listWorkflows(pool(), person.id)) if (state === 'live') await pauseWorkflow(pool(), name)
  return person
})
