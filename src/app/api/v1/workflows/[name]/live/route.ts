import { pool } from '@/app/_server/environment'
import { requireExamples } from '@/app/_server/examples'
import { Problem } from '@/app/_server/problem'
import { objectOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { requireRunnable, rowOf } from '@/app/_server/workflows'
import { faultOf } from '@/core/must'
import { workflowAnswer } from '@/engine/answers/workflow'
import { putLive } from '@/store/workflows'

const MOST_SAID = 2_000

/** Puts the draft live as the next version; the body may be empty, or say why failing examples are overruled. */
export const POST = route('POST /api/v1/workflows/[name]/live', async ({ actor, params, bytes }) => {
  const row = await rowOf(actor, params.name)
  const findings = await requireRunnable(row.draft, row.keeper_email, 409)
  const overruled = await requireExamples(row.draft, findings, readOverrule(await bytes(MOST_SAID * 4)))
  await putLive(pool(), row.name, actor.person, { overruled, checked: row.draft_saved_at })
  return workflowAnswer(await rowOf(actor, row.name))
})

/** The reason in the body, or null. @throws Problem where the body is no such thing */
function readOverrule(body: Buffer): string | null {
  const text = body.toString('utf8').trim()
  if (text === '') return null
  let given: unknown
  try {
    given = JSON.parse(text)
  } catch (error) {
    throw new Problem(400, 'Malformed JSON', `The body is not JSON: ${faultOf(error)}.`)
  }
  const { overrule } = objectOf(given)
  if (overrule === undefined || overrule === null) return null
  if (typeof overrule !== 'string' || overrule.trim() === '' || overrule.length > MOST_SAID)
    throw new Problem(422, 'Not valid', `overrule is the reason, in words; at most ${MOST_SAID} characters.`)
  return overrule.trim()
}
