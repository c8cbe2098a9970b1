import type { Pool } from 'pg'
import { faultOf } from '@/core/must'
import type { ReadFile } from './files'
import { isKept, type KeptWorkflow, KINDS } from './kinds'
import { planDefinitions, type Step } from './plan'
import { examineWorkflow } from './sound'

/** A step that was taken, or why it was not. */
export interface Applied {
  readonly step: Step
  readonly problems: readonly string[]
}

/**
 * Takes over what differs, what others are made of first; each by itself, so that one that cannot be stops no other. A workflow that is to be live goes live only where the review has
 * no error and no example fails, else it is left as it is.
 */
export async function applyDefinitions(pool: Pool, found: readonly ReadFile[], baseUrl: string): Promise<Applied[]> {
  const applied: Applied[] = []
  for (const step of (await planDefinitions(pool, found, baseUrl)).filter((s) => s.what !== 'only here')) {
    const file = found.find((f) => f.kind === step.kind && f.name === step.name)
    if (!file) continue
    const kind = KINDS[step.kind]
    const problems = [...((await kind.review?.(pool, file.value, baseUrl)) ?? []), ...(isKept(file.value) ? await workflowProblems(pool, file.value, baseUrl) : [])]
    if (problems.length === 0) {
      try {
        await kind.put(pool, file.name, file.value, baseUrl)
      } catch (error) {
        problems.push(faultOf(error))
      }
    }
    applied.push({ step, problems })
  }
  return applied
}

/** What keeps a workflow from going live once all that it is made of is there; a draft may lack what it likes. */
const workflowProblems = async (pool: Pool, { state, workflow }: KeptWorkflow, baseUrl: string): Promise<readonly string[]> =>
  state === 'draft' ? [] : (await examineWorkflow(pool, workflow, baseUrl)).problems
