import { apart } from '@/app/_server/environment'
import { recordId, tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { findingsOf, onlyAddress, savedUnder, workflowOf } from '@/app/_server/workflows'
import type { Workflow } from '@/core/document/document'
import type { RecordId } from '@/core/values/tables'

/** Changes that are counted within a glance. */
const NEWEST = 20_000

/** What is chosen: a change by its id, or, where no change sets it off, a record by its own. */
async function sampleOf({ cue, table }: Workflow, sample: unknown): Promise<RecordId> {
  return recordId(cue.kind === 'record' || cue.kind === 'figure' || cue.per === 'group' ? {} : (await tableOf(table)).table, String(sample), 'sample')
}

/** What the recorded changes of its table say about a draft, or with `part: 'newest'` the newest of them: how many are alive at each line, and one of them in full. */
export const POST = route('POST /api/v1/evidence', async ({ actor, body, request, inTurn }) => {
  const asked = await body()
  const workflow = await workflowOf(asked.workflow)
  const review = await findingsOf(workflow, await onlyAddress(actor, savedUnder(asked) ?? workflow.name), savedUnder(asked))
  if (review.some((f) => f.level === 'error' && (f.path === '/table' || f.path.startsWith('/cue')))) return { review, evidence: null }
  const sample = asked.sample === undefined || asked.sample === null ? null : await sampleOf(workflow, asked.sample)
  const evidence = await inTurn(() =>
    apart().run(
      'evidence',
      { workflow, findings: review, sample, newest: asked.part === 'newest' ? NEWEST : undefined, ...(asked.reach ? { reach: asked.reach } : {}) },
      { signal: request.signal },
    ),
  )
  return new Response(`{"review":${JSON.stringify(review)},"evidence":${evidence}}`, { headers: { 'content-type': 'application/json', 'cache-control': 'no-store' } })
})
