import type { Upkeep } from '@/store/health'

/** A table whose changes are not recorded as they should be, by its label, and why, in a sentence. */
export interface CaptureProblem {
  readonly label: string
  readonly problem: string
}

function attachedProblems({ attached }: Upkeep): CaptureProblem[] {
  return attached.map(({ label, trouble, unlogged, error }) => ({
    label,
    problem: trouble
      ? `${label} is not watched: ${trouble}`
      : `${unlogged} ${unlogged === 1 ? 'statement' : 'statements'} of another program on ${label} ${unlogged === 1 ? 'is' : 'are'} kept and not yet recorded: ${error}.`,
  }))
}

/** The tables whose changes are not recorded as they should be. */
export function captureProblems(upkeep: Upkeep): CaptureProblem[] {
  return [
    ...attachedProblems(upkeep),
    ...upkeep.unreplicated.map(({ label, sql }) => ({
      label,
      problem: `What replication writes to ${label} is not recorded: triggers have to fire for it, which its owner alone can say. Run as its owner: ${sql}`,
    })),
    ...upkeep.uncaptured.map((label) => ({
      label,
      problem: `Changes of ${label} are not recorded: its triggers were taken away or switched off. Switch them on (alter table … enable trigger user), or save one of its fields; changes in between set nothing off.`,
    })),
  ]
}
