import type { Change } from '@/core/changes/change'
import type { Workflow } from '@/core/document/document'
import { isOfLimits } from '@/core/limits/limiting'
import { must } from '@/core/must'
import type { Settled } from '@/engine/settle'
import { listMessages, type MessageRow } from '@/store/messages'
import { listNotices, type NoticeRow } from '@/store/notice-log'
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
  readonly run: (RunOfChange & { readonly messages: readonly MessageRow[]; readonly notices: readonly NoticeRow[] }) | null
}

/** Explains a change by the versions of workflows that were live or paused at that moment (else the newest), with linked data as it stood then. */
export async function whysOf(rows: readonly WorkflowRow[], change: Change): Promise<Why[]> {
  const known = await Promise.all(
    rows.map(async (row) => {
      const version = await versionAt(pool(), row.id, change)
      return { row, version, document: version?.document ?? row.live ?? row.draft }
    }),
  )
  const settled = await settledOf(
    known.map(({ document }) => document),
    change,
  )
  return Promise.all(
    known.map(async ({ row, version, document }, i) => {
      const run = await runOfChange(pool(), row.id, change.id)
      const came = run && (await Promise.all([listMessages(pool(), { run: run.id, limit: 1_000 }), listNotices(pool(), { runs: [run.id], me: null, limit: 1_000 })]))
      const stay = version && document.cue.kind === 'record' && document.cue.stays !== undefined ? await stayOfChange(pool(), row.id, change.id) : null
      return {
        document,
        version: version?.version ?? null,
        state: version ? `Version ${version.version} was ${version.state} then.${endedWords(stay)}` : 'The workflow was not live then.',
        settled: must(settled[i]),
        run: run && came && { ...run, notes: run.notes.filter(isOfLimits), messages: came[0], notices: came[1] },
      }
    }),
  )
}

/** The same of one workflow. */
export const whyOf = async (row: WorkflowRow, change: Change): Promise<Why> => must((await whysOf([row], change))[0])

/** What a change makes of each of some documents. All are asked for at once; where that fails, each by itself, so that the fault is that of one alone. */
async function settledOf(workflows: readonly Workflow[], change: Change): Promise<readonly Settled[]> {
  if (workflows.length === 0) return []
  try {
    return await apart().run('why', { workflows, change })
  } catch (error) {
    if (workflows.length === 1) return [{ fault: error instanceof Error ? error.message : String(error) }]
    return (await Promise.all(workflows.map((workflow) => settledOf([workflow], change)))).flat()
  }
}

/** How a wait was ended by anything but the record itself, in a sentence; nothing where it was not. */
function endedWords(stay: StayRow | null): string {
  if (stay?.outcome === 'called off') return ` Its wait was called off${stay.person ? ` by ${stay.person}` : ''}.`
  return stay?.outcome === 'passed by' ? ' It was paused when the time was over, so that it passed by.' : ''
}
