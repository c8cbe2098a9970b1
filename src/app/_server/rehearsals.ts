import type { Workflow } from '@/core/document/document'
import type { Finding } from '@/core/review/review'
import type { ReadRehearsal, RehearsalOptions } from '@/engine/rehearsal/result'
import { newestChange } from '@/store/changes'
import { readGeneration } from '@/store/generation'
import { apart, pool } from './environment'
import { webMetrics } from './metrics'

const KEPT = 30
const kept = new Map<string, ReadRehearsal>()

/** Rehearses a draft, or gives what the same rehearsal came to before, while nothing was changed since. */
export async function rehearsed(workflow: Workflow, findings: readonly Finding[], days: number | null, options: RehearsalOptions): Promise<ReadRehearsal> {
  const span = days ?? [options.span.from, options.span.to]
  const key = JSON.stringify([workflow, findings, span, options.samples, options.live, await newestChange(pool(), workflow.table), await readGeneration(pool())])
  const known = kept.get(key)
  if (known) return known
  const { signal, progress, ...asked } = options
  const { rehearsals, rehearsal: timed } = webMetrics()
  const end = timed.startTimer()
  const rehearsal = await apart().run('rehearse', { workflow, findings, options: asked }, { signal, progress })
  end()
  rehearsals.inc()
  if (rehearsal.behind) return rehearsal // what is not there yet would be missed as long as it is kept
  kept.set(key, rehearsal)
  for (const old of [...kept.keys()].slice(0, Math.max(0, kept.size - KEPT))) kept.delete(old)
  return rehearsal
}
