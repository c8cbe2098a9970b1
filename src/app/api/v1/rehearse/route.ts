import { pool } from '@/app/_server/environment'
import { failingExamples } from '@/app/_server/examples'
import { Problem } from '@/app/_server/problem'
import { rehearsed } from '@/app/_server/rehearsals'
import { route } from '@/app/_server/route'
import { streamed } from '@/app/_server/streamed'
import { findingsOf, onlyAddress, savedUnder, visibleRow, workflowOf } from '@/app/_server/workflows'
import { warningsOf } from '@/core/rehearsal/warnings'
import { toldRehearsal } from '@/engine/answers/rehearsal'
import { spanOfDays } from '@/engine/evidence'
import { listLive } from '@/store/workflows'

const SAMPLES = 5

/**
 * Rehearsal: what a draft would have done over the recorded changes of a span (30 days unless told), against the version that is live.
 * Nothing is sent or written. It can be watched line by line, and is called off when the caller goes away.
 */
export const POST = route('POST /api/v1/rehearse', async ({ actor, body, request, inTurn }) => {
  const { workflow: given, was: _was, days = 30, samples = SAMPLES, ...asked } = await body()
  const was = savedUnder({ was: _was })
  const workflow = await workflowOf(given)
  const [from, to] = [asked.from, asked.to].map((text) => (text ? new Date(text) : null))
  if (from && to && from >= to) throw new Problem(422, 'Not valid', 'The span ends before it begins: `to` has to be later than `from`.')
  const review = await findingsOf(workflow, await onlyAddress(actor, was ?? workflow.name), was)
  const stops = review.find((f) => f.level === 'error' && (f.path === '/table' || f.path.startsWith('/cue')))
  if (stops) throw new Problem(422, 'Not valid', `It cannot be rehearsed yet. ${stops.message}`, { review })
  const span = { ...(await spanOfDays(pool(), days)), ...(from ? { from } : {}), ...(to ? { to } : {}) }
  const live = (await visibleRow(actor, was ?? workflow.name))?.live ?? null
  const others =
    actor.role === 'member' ? [] : (await listLive(pool())).flatMap(({ live: document, keeper, name }) => (keeper === null && name !== was ? [{ ...document, name }] : []))
  return streamed(request, async (progress) => {
    const rehearsal = await inTurn(() => rehearsed(workflow, review, from || to ? null : days, { span, samples, live, others, signal: request.signal, progress }))
    return toldRehearsal(rehearsal, [...review, ...warningsOf(workflow, rehearsal), ...(await failingExamples(workflow, review))])
  })
})
