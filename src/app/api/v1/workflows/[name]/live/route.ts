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

/**
 * Puts the draft live as the next version; the body may be empty, or say why failing examples are overruled, and with `alreadyTrue` that what fits now counts from now on
 * (what is to stay so, timetables).
 */
export const POST = route('POST /api/v1/workflows/[name]/live', async ({ actor, params, bytes }) => {
  const row = await rowOf(actor, params.name)
  const findings = await requireRunnable(row.draft, row.keeper_email, 409)
  const { overrule, alreadyTrue } = readAsked(await bytes(MOST_SAID * 4))
  const overruled = await requireExamples(row.draft, findings, overrule)
  await putLive(pool(), row.name, actor.person, { overruled, checked: row.draft_saved_at, alreadyTrue })
  return workflowAnswer(await rowOf(actor, row.name))
})

/** What the body asks for. @throws Problem where it is no such thing */
function readAsked(body: Buffer): { overrule: string | null; alreadyTrue: boolean } {
  const text = body.toString('utf8').trim()
  if (text === '') return { overrule: null, alreadyTrue: false }
  let given: unknown
  try {
    given = JSON.parse(text)
  } catch (error) {
    throw new Problem(400, 'Malformed JSON', `The body is not JSON: ${faultOf(error)}.`)
  }
  const { overrule = null, alreadyTrue = false } = objectOf(given)
  if (typeof alreadyTrue !== 'boolean') throw new Problem(422, 'Not valid', 'alreadyTrue is true or false.')
  if (overrule === null) return { overrule, alreadyTrue }
  if (typeof overrule !== 'string' || overrule.trim() === '' || overrule.length > MOST_SAID)
    throw new Problem(422, 'Not valid', `overrule is the reason, in words; at most ${MOST_SAID} characters.`)
  return { overrule: overrule.trim(), alreadyTrue }
}
