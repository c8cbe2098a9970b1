import type { Pool } from 'pg'
import { cueOf } from '@/core/cues/kinds'
import { tickOccasion } from '@/core/cues/occasion'
import { groupValue, type Standing, saidValue } from '@/core/figures/crossing'
import { labelOf } from '@/core/figures/label'
import { figureOf } from '@/core/figures/of-table'
import { aliveLines } from '@/core/rehearsal/lines'
import { Rehearsing } from '@/core/rehearsal/tally'
import type { CompiledWorkflow } from '@/core/workflow/compiled'
import { compileWorkflow } from '@/core/workflow/evaluate'
import { fitsAsGroup } from '@/core/workflow/judge'
import type { Queryable } from '@/store/database'
import { type FigurePast, followFigure } from '@/store/figures/history'
import { type StandingRow, standingPage } from '@/store/figures/standing'
import { positionsAt, type Span } from '@/store/history'
import { limitingFor } from '../rehearsal/limiting'
import type { Past } from '../rehearsal/past'
import type { PastTick, Rehearsal, RehearsalOptions } from '../rehearsal/result'
import { standing as stand } from '../rehearsal/standing'
import { ask } from '../settle'
import { titlesOfGroups } from './past'

/** Groups that are looked at, at most; a figure has no more. */
const MOST_GROUPS = 10_000

/** The figure whose groups a workflow goes through. */
export function overOf({ cue, table }: CompiledWorkflow) {
  const over = cue.kind === 'timetable' || cue.kind === 'by hand' ? cue.over?.figure : undefined
  return figureOf(table, over ?? '')
}

/** The groups of a figure as they stand now, and which of them fit a workflow's conditions. */
export async function groupsNow(db: Queryable, compiled: CompiledWorkflow, at: Date): Promise<{ all: StandingRow[]; fitting: StandingRow[] }> {
  const all = await standingPage(db, overOf(compiled)?.name ?? '', null, MOST_GROUPS)
  return { all, fitting: await fittingOf(db, compiled, all, at) }
}

async function fittingOf(db: Queryable, compiled: CompiledWorkflow, rows: readonly StandingRow[], at: Date): Promise<StandingRow[]> {
  const judged = await ask(
    db,
    rows.map(
      ({ standing }) =>
        (lookups) =>
          fitsAsGroup(compiled, standing, at, lookups),
    ),
    { setting: compiled.surroundings, dry: true },
  )
  return rows.filter((_, i) => judged[i] === true)
}

/** How many groups are alive at each line of a workflow's conditions as they stand now. */
export async function narrowedGroups(db: Queryable, compiled: CompiledWorkflow, span: Span) {
  const at = new Date()
  const all = await standingPage(db, overOf(compiled)?.name ?? '', null, MOST_GROUPS)
  const survivors: { path: string; count: number }[] = []
  for (const { path, alive } of compiled.workflow.conditions ? aliveLines(compiled.workflow.conditions) : []) {
    const line = compileWorkflow({ ...compiled.workflow, conditions: alive }, compiled.surroundings)
    survivors.push({ path, count: (await fittingOf(db, line, all, at)).length })
  }
  return { span, changes: all.length, first: null, cued: all.length, survivors, firings: 0, heldBefore: 0 }
}

/** The groups of a figure as they stood at a moment of its past. */
function standingsAt(figure: string, { begun, counts, steps }: FigurePast, at: Date): StandingRow[] {
  return [...begun].map(([grp, value]): StandingRow => {
    const last = (steps.get(grp) ?? []).filter((step) => step.at <= at).at(-1)
    const [stood, count] = last ? [last.value, last.n] : [value, counts.get(grp) ?? 0]
    return { grp, standing: { figure, group: groupValue(grp), value: saidValue(stood), count } satisfies Standing }
  })
}

/** Moments of a timetable over the groups of a figure, as these stood at each; nothing is sent or written. */
export async function rehearseGroups(
  db: Pool,
  compiled: CompiledWorkflow,
  { ticks, all, start, past }: { readonly ticks: readonly Date[]; readonly all: number; readonly start: Date; readonly past: Past },
  { span, samples, signal, progress }: RehearsalOptions,
): Promise<Rehearsal> {
  const { table, surroundings, workflow } = compiled
  const cue = cueOf(workflow, 'timetable')
  const known = overOf(compiled)
  const narrowed = await narrowedGroups(db, compiled, span)
  const rehearsing = new Rehearsing({ ...table, titleField: 'label' }, surroundings.organisation.zone, samples, await limitingFor(db, compiled))
  const told: PastTick[] = []
  if (known) {
    const followed = await followFigure(db, known.definition, surroundings, span)
    const positions = await positionsAt(db, [start, ...ticks])
    const titles = await titlesOfGroups(db, known.definition, surroundings, [...followed.begun.keys()])
    const at = (moment: Date) => positions.get(moment.getTime()) ?? 0
    const fitting = async (moment: Date) => {
      const rows = standingsAt(known.name, followed, moment)
      const fits = await past.ask(rows.map(({ standing }) => ({ at: moment, position: at(moment), ask: (lookups) => fitsAsGroup(compiled, standing, moment, lookups) })))
      return rows.filter((_, i) => fits[i] === true)
    }
    const isEvery = workflow.firing === 'every'
    let before = new Set(isEvery ? [] : (await fitting(start)).map((row) => row.grp))
    for (const [i, tick] of ticks.entries()) {
      signal?.throwIfAborted()
      const rows = await fitting(tick)
      const fired = rows.filter(({ grp }) => !before.has(grp))
      const occasions = fired.map(({ standing }) => ({
        occasion: tickOccasion({ table: table.name, per: cue.per === 'group' ? 'group' : 'all', at: tick, standing, fitted: false }),
        position: at(tick),
      }))
      const settled = await past.settleAt(compiled, occasions, false)
      let [firings, messages] = [0, 0]
      for (const [n, outcome] of settled.entries()) {
        const grp = fired[n]?.grp ?? 'null'
        const pointed = { ...stand({ label: titles.get(grp) || labelOf(known.definition) }, tick), record: grp }
        if ('fault' in outcome) rehearsing.addFailure(pointed, outcome.fault)
        else if (outcome.plan.fires) {
          rehearsing.add(pointed, outcome.plan)
          messages += outcome.plan.messages.length
        } else continue
        firings++
      }
      told.push({ at: tick, fit: rows.length, firings, messages })
      if (!isEvery) before = new Set(rows.map((row) => row.grp))
      progress?.((i + 1) / ticks.length)
    }
  }
  return { ...narrowed, ...rehearsing.result(), blanks: [], late: [], overlaps: [], compared: null, ticks: { all, told: told.reverse() } }
}
