import * as yup from 'yup'
import type { Actor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { shaped } from '@/app/_server/shape'
import { requireRunnable, rowOf } from '@/app/_server/workflows'
import { trialAnswer } from '@/engine/answers/trial'
import { firstAdministrator } from '@/store/people'
import { armTrial, endTrials, latestTrial } from '@/store/trials'

const LONGEST = 60

const trialSchema = yup
  .object({ record: yup.number().strict().integer().positive(), minutes: yup.number().strict().integer().min(1).max(LONGEST) })
  .noUnknown()
  .strict()

/** Whose trials these are: the token's or session's person; for a token that acts as nobody, the first administrator. @throws Problem where there is neither */
async function tryerOf(actor: Actor): Promise<number> {
  const person = actor.person ?? (await firstAdministrator(pool()))?.id
  if (!person) throw new Problem(409, 'Conflict', 'A trial’s mail goes to whoever arms it; this token acts as nobody, and there is no administrator yet.')
  return person
}

/** The newest trial of mine, with its runs; null where there was none. */
export const GET = route('GET /api/v1/workflows/[name]/trial', async ({ actor, params }) => {
  const row = await rowOf(actor, params.name)
  const trial = await latestTrial(pool(), row.name, await tryerOf(actor))
  return { trial: trial && (await trialAnswer(pool(), trial)) }
})

/** Arms the draft for real, for one record or for my own changes; all its mail goes to me. */
export const POST = route('POST /api/v1/workflows/[name]/trial', async ({ actor, params, request, json }) => {
  const given = request.headers.get('content-length') === '0' || request.body === null ? {} : await json()
  const { record = null, minutes = LONGEST } = shaped(trialSchema, given, 'The trial was not armed.')
  const row = await rowOf(actor, params.name)
  await requireRunnable(row.draft, row.keeper_email, 409)
  const trial = await armTrial(pool(), row.name, { record, by: actor.by, person: await tryerOf(actor), minutes, checked: row.draft_saved_at })
  return { trial: await trialAnswer(pool(), trial) }
})

/** Ends my trial of the workflow. */
export const DELETE = route('DELETE /api/v1/workflows/[name]/trial', async ({ actor, params }) => {
  const row = await rowOf(actor, params.name)
  return { ended: await endTrials(pool(), row.name, await tryerOf(actor)) }
})
