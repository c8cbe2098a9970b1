import { isDeepStrictEqual } from 'node:util'
import type { Pool } from 'pg'
import type { Figure } from '@/core/document/figure'
import { allFigures, rootsOf } from '@/core/figures/computed'
import { groupValue } from '@/core/figures/crossing'
import { groupingOf } from '@/core/figures/groups'
import { alertsAt, allCrossings, heightsOf, type Point, thinned } from '@/core/figures/history'
import { pointsOfHours } from '@/core/figures/hours'
import type { FigureSetting } from '@/core/figures/sql'
import { WHOLE } from '@/core/figures/together'
import { must } from '@/core/must'
import { idFrom, type Stored, targetOf, titleOf } from '@/core/values/tables'
import { type FigurePast, followFigure } from '@/store/figures/history'
import { logBegins, readHours } from '@/store/figures/hours'
import type { Span } from '@/store/history'
import { readRecords } from '@/store/records'

/** Groups whose lines are drawn, and points of each. */
const MOST_LINES = 24
const STRETCHES = 180

/** Crossings that are told one by one, the newest. */
const MOST_TOLD = 200

/** What a figure went through, and what a threshold would have made of it. */
export interface ToldPast {
  readonly from: Date
  readonly to: Date
  /** Whether the log has more of it than was looked at. */
  readonly isCut: boolean
  /** The groups whose values changed last or are the highest, and how many there are in all. */
  readonly lines: readonly {
    readonly group: Stored
    readonly title: string
    readonly points: readonly Point[]
    /** The values of the figures that thresholds are at, by the thresholds' names. */
    readonly limits: Readonly<Record<string, readonly Point[]>>
  }[]
  readonly groups: number
  /** How many alerts a threshold at each height would have given. */
  readonly alerts: readonly { readonly value: number; readonly crossings: number }[]
  /** What the figure's own thresholds would have been crossed by, newest first, and how often each. */
  readonly crossings: readonly {
    readonly threshold: string
    readonly at: Date
    readonly change: number | null
    readonly group: Stored
    readonly before: string | null
    readonly value: string | null
  }[]
  readonly counts: Readonly<Record<string, number>>
}

/** A figure's past, and how many seconds what it was worked out from is behind; null where it is not. */
export interface ReadPast extends ToldPast {
  readonly behind: number | null
}

/** Works out from the log what a figure, or a draft of one, went through; of one group (JSON) alone, where it is given. */
export async function pastOfFigure(pool: Pool, figure: Figure, setting: FigureSetting, span: Span, group: string | null = null): Promise<ToldPast> {
  const past = await followFigure(pool, figure, setting, span)
  const groups = [...past.begun.keys()].filter((grp) => group === null || grp === group)
  const followed =
    group === null
      ? past
      : { begun: new Map(groups.map((g) => [g, past.begun.get(g) ?? null])), counts: past.counts, steps: new Map(groups.map((g) => [g, past.steps.get(g) ?? []])) }
  const last = (grp: string) => past.steps.get(grp)?.at(-1)?.value ?? past.begun.get(grp) ?? null
  const shown = [...groups].sort((a, b) => Number(last(b) ?? Number.NEGATIVE_INFINITY) - Number(last(a) ?? Number.NEGATIVE_INFINITY)).slice(0, MOST_LINES)
  const titles = await titlesOfGroups(pool, figure, setting, shown)
  const before = await beforeTheLog(pool, figure, setting, shown, span)
  const when = figure.thresholds?.[0]?.when ?? 'above'
  const stretch = { from: past.from, to: span.to }
  const heights = heightsOf(followed)
  const alerts = alertsAt(heights, when, followed)
  const crossings = (figure.thresholds ?? []).flatMap((threshold) =>
    allCrossings(threshold, past.track, past.lines)
      .filter(({ grp }) => group === null || grp === group)
      .map(({ grp, step: { at, change, before, value } }) => ({ threshold: threshold.name, at, change, group: groupValue(grp), before, value })),
  )
  return {
    from: past.from,
    to: span.to,
    isCut: past.from > span.from,
    groups: groups.length,
    lines: shown.map((grp) => ({
      group: groupValue(grp),
      title: titles.get(grp) ?? '',
      points: [
        ...(before?.points.get(grp) ?? []),
        ...thinned(past.begun.get(grp) ?? null, past.steps.get(grp) ?? [], { ...stretch, from: before?.until ?? stretch.from }, STRETCHES),
      ],
      limits: limitsOf(figure, past, grp, stretch),
    })),
    alerts: heights.map((value, i) => ({ value, crossings: must(alerts[i]) })),
    crossings: crossings.sort((a, b) => b.at.getTime() - a.at.getTime()).slice(0, MOST_TOLD),
    counts: Object.fromEntries((figure.thresholds ?? []).map(({ name }) => [name, crossings.filter((c) => c.threshold === name).length])),
  }
}

/** What is kept hour by hour of the part of a span that the log no longer reaches; null where it reaches all of it, or nothing is kept. */
async function beforeTheLog(
  pool: Pool,
  figure: Figure,
  { schema }: FigureSetting,
  groups: readonly string[],
  span: Span,
): Promise<{ until: Date; points: Map<string, Point[]> } | null> {
  const begins = await Promise.all(rootsOf(figure, new Map(allFigures(schema)).set(figure.name, figure)).map((f) => logBegins(pool, f.table)))
  const until = begins.filter((at) => at !== null).sort((a, b) => b.getTime() - a.getTime())[0]
  const held = allFigures(schema).get(figure.name)
  if (!until || until <= span.from || !held || !isSame(held, figure)) return null
  const hours = await readHours(pool, figure.name, groups, { from: span.from, to: until })
  return hours.size === 0 ? null : { until, points: new Map([...hours].map(([grp, own]) => [grp, pointsOfHours(own)])) }
}

/** Whether two figures come to the same, whatever they are called and wherever their thresholds are. */
const isSame = (a: Figure, b: Figure) => {
  const bare = ({ label: _, note: __, thresholds: ___, ...rest }: Figure) => rest
  return isDeepStrictEqual(bare(a), bare(b))
}

/** What the figures that thresholds are at went through beside a group. */
function limitsOf({ thresholds = [] }: Figure, { lines }: FigurePast, grp: string, span: Span): Record<string, Point[]> {
  return Object.fromEntries(
    thresholds.flatMap(({ name, value }): [string, Point[]][] => {
      const line = typeof value === 'number' ? undefined : lines.get(value.figure)
      const own = line?.isGrouped ? grp : WHOLE
      return line ? [[name, thinned(line.begun.get(own) ?? line.nothing, line.steps.get(own) ?? [], span, STRETCHES)]] : []
    }),
  )
}

/** What groups are called: a record or person by its title, blank in words, anything else by itself. */
export async function titlesOfGroups(pool: Pool, figure: Figure, { schema }: Pick<FigureSetting, 'schema'>, groups: readonly string[]): Promise<Map<string, string>> {
  const field = groupingOf(figure, schema, new Map(allFigures(schema)).set(figure.name, figure))?.field
  const target = field && schema.get(targetOf(field) ?? '')
  const values = new Map(groups.map((grp) => [grp, groupValue(grp)]))
  const ids = [...values.values()].map((value) => idFrom(value)).filter((id) => id !== null)
  const images = target ? await readRecords(pool, target.name, ids) : null
  return new Map(
    [...values].map(([grp, value]) => {
      if (value === null) return [grp, field ? `no ${field.label.toLowerCase()}` : '']
      const image = images?.get(String(value))
      return [grp, target ? (image ? titleOf(target, image) : `${target.singular} ${value}`) : typeof value === 'boolean' ? (value ? 'yes' : 'no') : String(value)]
    }),
  )
}
