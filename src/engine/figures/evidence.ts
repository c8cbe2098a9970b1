import type { Pool } from 'pg'
import type { ExampleOccasion, Workflow } from '@/core/document/document'
import { runnable } from '@/core/rehearsal/runnable'
import type { Finding } from '@/core/review/review'
import { compileWorkflow } from '@/core/workflow/evaluate'
import type { Surroundings } from '@/core/workflow/surroundings'
import { readNow } from '@/store/now'
import type { Evidence } from '../evidence'
import { Past } from '../rehearsal/past'
import { type PastCrossing, pastCrossings } from './rehearse'

/** Crossings that are offered to look at, of how many days. */
const SHOWN = 12
const DAYS = 30

/** A past crossing as one can be tried. */
function occasionOf({ occasion: { crossing } }: PastCrossing): ExampleOccasion {
  const { group, before, value } = crossing
  return { kind: 'crossing', group, before: before === null ? null : Number(before), value: Number(value) }
}

/** What a draft that waits for a figure would have done about its crossings in the last days, and one of them in full. */
export async function gatherCrossings(db: Pool, workflow: Workflow, findings: readonly Finding[], surroundings: Surroundings, sample: unknown): Promise<Evidence> {
  const compiled = compileWorkflow(runnable(workflow, findings), surroundings)
  const to = await readNow(db)
  const { crossings, all, moves } = await pastCrossings(db, compiled, { from: new Date(to.getTime() - DAYS * 86_400_000), to }, SHOWN)
  const idOf = ({ change }: PastCrossing, i: number) => change ?? -1 - i
  const place = Math.max(
    0,
    crossings.findIndex((c, i) => idOf(c, i) === Number(sample)),
  )
  const chosen = crossings[place]
  const [outcome] = chosen ? await new Past(db, { setting: surroundings, dry: true }).settleAt(compiled, [chosen], true) : []
  return {
    days: DAYS,
    changes: moves,
    cued: all,
    alive: {},
    firings: all,
    heldBefore: { count: 0, example: null },
    samples: crossings.map((c, i) => ({ id: idOf(c, i), record: 0, title: c.title, kind: 'changed', at: c.occasion.at, fires: true, occasion: occasionOf(c) })),
    sample: chosen ? idOf(chosen, place) : null,
    plan: outcome && 'plan' in outcome ? outcome.plan : null,
    preview: null,
    fault: outcome && 'fault' in outcome ? outcome.fault : null,
    placeholders: [],
  }
}
