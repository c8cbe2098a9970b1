import type { Wording } from '@/core/conditions/sentence'
import type { Workflow } from '@/core/document/document'
import { doesWords } from '@/core/words/does'
import { readWording } from '@/engine/program'
import { keptByGeneration } from '@/store/generation'
import { pool } from './environment'

/** The wording with what each document does, in words, as long as somebody has it: whatever is named in words begins another generation when it changes. */
const readKept = keptByGeneration(async (db) => ({ wording: await readWording(db), said: new WeakMap<Workflow, string>() }))

/** What workflows do, in a line each; said once, for there may be thousands in a list. The documents may not be changed afterwards. */
export async function saying(): Promise<{ readonly wording: Wording; readonly does: (workflow: Workflow) => string }> {
  const { wording, said } = await readKept(pool())
  const does = (workflow: Workflow) => {
    const known = said.get(workflow)
    if (known !== undefined) return known
    const words = doesWords(workflow, wording)
    said.set(workflow, words)
    return words
  }
  return { wording, does }
}
