import type { Change, ChangedBy } from '@/core/changes/change'
import type { RecordId } from '@/core/values/tables'
import type { Tryer } from '@/core/workflow/trial'

/** A trial as the engine runs it: which changes it takes, and who gets its mail. */
export interface ArmedTrial {
  readonly id: number
  readonly record: RecordId | null
  readonly by: ChangedBy
  readonly until: Date
  readonly tryer: Tryer
}

/** Whether a change is one that a trial is armed for; it is besides to be of the workflow's table and not before the trial's snapshot. */
export function isTried(trial: Pick<ArmedTrial, 'record' | 'by' | 'until'>, change: Pick<Change, 'record' | 'by' | 'at'>): boolean {
  if (change.at.getTime() > trial.until.getTime()) return false
  if (trial.record !== null) return change.record === trial.record
  if (trial.by.person !== null) return change.by.person === trial.by.person
  return change.by.kind === trial.by.kind && change.by.name === trial.by.name
}
