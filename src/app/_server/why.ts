import type { Change } from '@/core/changes/change'
import type { Workflow } from '@/core/document/document'
import { isOfLimits } from '@/core/limits/limiting'
import type { Settled } from '@/engine/settle'
import { listMessages, type MessageRow } from '@/store/messages'
import { type RunOfChange, runOfChange } from '@/store/runs'
import { type StayRow, stayOfChange } from '@/store/stays'
import { versionAt, type WorkflowRow } from '@/store/workflows'
import { apart, pool } from './environment'

/** Why a recorded change fired a workflow or did not, and what really came of it. */
export interface Why {
  /** The document it is explained with: that of the version then, else the newest. */
  readonly document: Workflow
  readonly version: number | null
  /** How the workflow stood then, in a sentence. */
  readonly state: string
  readonly settled: Settled
  readonly run: (RunOfChange & { readonly messages: readonly MessageRow[] }) | null
}

/** Explains a change by the version of a workflow that was live or paused at that moment (else the newest), with linked data as it stood then. */
export async function whyOf(row: WorkflowRow, change: Change): Promise<Why> {
  const version = await versionAt(pool(), row.id, change)
  const document = version?.document ?? row.live ?? row.draft
  const run = await runOfChange(pool(), row.id, change.id)
  const stay = version && document.cue.kind === 'record' && document.cue.stays !== undefined ? await stayOfChange(pool(), row.id, change.id) : null
  return {
    document,
    version: version?.version ?? null,
    state: version ? `Version ${version.version} was ${version.state} then.${endedWords(stay)}` : 'The workflow was not live then.',
    settled: await apart()
      .run('why', { workflow: document, change })
      .catch((error: Error) => ({ fault: error.message })),
    run: run && { ...run, notes: run.notes.filter(isOfLimits), messages: await listMessages(pool(), { run: run.id, limit: 1_000 }) },
  }
}

/** How a wait was ended by anything but the record itself, in a sentence; nothing where it was not. */
function endedWords(stay: StayRow | null): string {
  if (stay?.outcome === 'called off') return ` Its wait was called off${stay.person ? ` by ${stay.person}` : ''}.`
  return stay?.outcome === 'passed by' ? ' It was paused when the time was over, so that it passed by.' : ''
}
