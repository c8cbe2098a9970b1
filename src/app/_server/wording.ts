import type { Wording } from '@/core/conditions/sentence'
import type { Workflow } from '@/core/document/document'
import { doesWords } from '@/core/words/does'
import { readWording } from '@/engine/program'
import { readGeneration } from '@/store/generation'
import { pool } from './environment'

/** What was read at a generation: whatever is named in words begins another when it changes. */
interface Kept {
  readonly generation: number
  readonly wording: Wording
  /** What each document does, in words, as long as somebody has it. */
  readonly does: WeakMap<Workflow, string>
}

let kept: Kept | null = null

/** What workflows do, in a line each; said once, for there may be thousands in a list. The documents may not be changed afterwards. */
export async function saying(): Promise<{ readonly wording: Wording; readonly does: (workflow: Workflow) => string }> {
  const generation = await readGeneration(pool())
  const now = kept?.generation === generation ? kept : { generation, wording: await readWording(pool()), does: new WeakMap<Workflow, string>() }
  kept = now
  const does = (workflow: Workflow) => {
    const known = now.does.get(workflow)
    if (known !== undefined) return known
    const words = doesWords(workflow, now.wording)
    now.does.set(workflow, words)
    return words
  }
  return { wording: now.wording, does }
}
