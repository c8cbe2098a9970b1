import type { Occasion } from '@/core/cues/occasion'
import type { Workflow } from '@/core/document/document'
import type { Settled } from '../settle'

/** What people wrote was too much to be worked out: it took too long, or more memory than there is. */
export class TooMuch extends Error {
  override readonly name = 'TooMuch'
}

/** Whether an error is TooMuch, also one from another bundle's copy of this module. */
export const isTooMuch = (error: unknown): error is TooMuch => error instanceof Error && error.name === 'TooMuch'

/** Where a workflow is decided about in a process apart. @throws TooMuch */
export interface DecidesApart {
  run(task: 'decide', input: { workflow: Workflow; occasion: Occasion; key: string }): Promise<Settled>
}
