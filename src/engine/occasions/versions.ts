import type { Queryable } from '@/store/database'
import { readTrial } from '@/store/trials'
import { compileTrial, compileVersion, type LiveWorkflow, type Program } from '../program'

/** Versions of workflows, and drafts of trials, compiled as they are asked for; kept for as long as the program is the same. */
export class Versions {
  private readonly kept = new Map<string, LiveWorkflow>()
  private generation = -1

  /** One version, or the draft of a trial, whole. */
  async get(db: Queryable, program: Program, { workflow, version, trial }: { workflow: number; version: number; trial: number | null }): Promise<LiveWorkflow> {
    if (this.generation !== program.generation) this.kept.clear()
    this.generation = program.generation
    const key = `${workflow} ${version} ${trial ?? ''}`
    const kept = this.kept.get(key)
    if (kept) return kept
    const armed = trial === null ? null : await readTrial(db, trial)
    const live = armed ? compileTrial(armed, program.surroundings) : await compileVersion(db, workflow, version, program.surroundings)
    this.kept.set(key, live)
    return live
  }
}
