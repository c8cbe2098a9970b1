import type { Pool } from 'pg'
import { type CrossingOccasion, crossingOccasion } from '@/core/cues/occasion'
import { groupValue, saidValue } from '@/core/figures/crossing'
import { allCrossings } from '@/core/figures/history'
import { labelOf } from '@/core/figures/label'
import { figureOf } from '@/core/figures/of-table'
import { lineAt } from '@/core/figures/path'
import { Rehearsing } from '@/core/rehearsal/tally'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { positionAt } from '@/store/as-of'
import { readBareChange } from '@/store/changes'
import { followFigure } from '@/store/figures/history'
import type { Span } from '@/store/history'
import { limitingFor } from '../rehearsal/limiting'
import { Past } from '../rehearsal/past'
import type { Rehearsal, RehearsalOptions } from '../rehearsal/result'
import { standing } from '../rehearsal/standing'
import { titlesOfGroups } from './past'

/** Crossings of a span that are rehearsed, the newest. */
const MOST = 1_000

/** A crossing that there would have been, and how it is called. */
export interface PastCrossing {
  readonly occasion: CrossingOccasion
  readonly change: number | null
  readonly position: number
  readonly title: string
  /** The group (JSON), and what it is called. */
  readonly group: string
  readonly of: string
}

/** The crossings of a figure's threshold in a span, worked out from the log, newest first, at most so many; and how many there were, of how many moves. */
export async function pastCrossings(
  pool: Pool,
  { table, cue, surroundings }: CompiledWorkflow,
  span: Span,
  most: number,
): Promise<{ crossings: PastCrossing[]; all: number; moves: number }> {
  if (cue.kind !== 'figure') return { crossings: [], all: 0, moves: 0 }
  const { figure: name, threshold: wanted } = cue
  const figure = figureOf(table, name)?.definition
  const threshold = figure?.thresholds?.find((t) => t.name === wanted)
  if (!figure || !threshold) return { crossings: [], all: 0, moves: 0 }
  const past = await followFigure(pool, figure, surroundings, span)
  const found = [...allCrossings(threshold, past.track, past.lines)]
  found.sort((a, b) => b.step.at.getTime() - a.step.at.getTime())
  const newest = found.slice(0, most)
  const titles = await titlesOfGroups(pool, figure, surroundings, [...new Set(newest.map((f) => f.grp))])
  const crossings: PastCrossing[] = []
  for (const { grp, step } of newest) {
    const change = step.change === null ? null : await readBareChange(pool, step.change)
    const crossing = {
      figure: name,
      threshold: wanted,
      line: Number(lineAt(threshold, step)),
      group: groupValue(grp),
      before: saidValue(step.before),
      value: saidValue(step.value),
      count: step.n,
    }
    const occasion = crossingOccasion({
      id: `of ${step.at.toISOString()} ${grp}`,
      table: table.name,
      at: step.at,
      by: change?.by ?? { kind: 'system', person: null, name: 'the calendar' },
      crossing,
    })
    const title = `${titles.get(grp) ? `${titles.get(grp)}: ` : ''}${crossing.before ?? 'nothing'} to ${crossing.value ?? 'nothing'}`
    crossings.push({ occasion, change: step.change, position: step.change ?? (await positionAt(pool, step.at)) ?? 0, title, group: grp, of: titles.get(grp) || labelOf(figure) })
  }
  return { crossings, all: found.length, moves: past.moves }
}

/** Lets every crossing of a span set a draft off, with data as it stood then; nothing is sent or written. */
export async function rehearseCrossings(db: Pool, compiled: CompiledWorkflow, { span, samples, signal, progress }: RehearsalOptions): Promise<Rehearsal> {
  const { crossings, all, moves } = await pastCrossings(db, compiled, span, MOST)
  const past = new Past(db, { setting: compiled.surroundings, dry: true })
  const rehearsing = new Rehearsing({ ...compiled.table, titleField: 'label' }, compiled.surroundings.organisation.zone, samples, await limitingFor(db, compiled))
  for (const [i, one] of crossings.entries()) {
    signal?.throwIfAborted()
    const [outcome] = await past.settleAt(compiled, [one], false)
    const stand = { ...standing({ label: one.of }, one.occasion.at), id: one.change ?? 0, record: one.group }
    if (outcome && 'fault' in outcome) rehearsing.addFailure(stand, outcome.fault)
    else if (outcome?.plan.fires) rehearsing.add(stand, outcome.plan)
    progress?.((i + 1) / crossings.length)
  }
  return {
    span,
    changes: moves,
    first: null,
    cued: all,
    survivors: [],
    heldBefore: 0,
    ...rehearsing.result(),
    blanks: [],
    late: [],
    overlaps: [],
    compared: null,
  }
}
