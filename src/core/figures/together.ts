import type { FigureValue } from './crossing'

/** When a figure moved: by a transaction, by its last change, or by the calendar. */
export interface Mover {
  /** In milliseconds, where moves are told apart by it; 0 where they are all of one batch. */
  readonly at: number
  /** The last change of the transaction; null where the calendar moved it. */
  readonly change: number | null
  /** What tells transactions apart. */
  readonly xid: string | null
}

/** A value that a group came to. */
export interface TrackStep {
  readonly mover: Mover
  readonly value: FigureValue
  /** How many records are behind it. */
  readonly n: number
}

/** What one figure went through, group by group. */
export interface Track {
  readonly isGrouped: boolean
  readonly begun: ReadonlyMap<string, FigureValue>
  /** How many records were behind what each group began with. */
  readonly counts: ReadonlyMap<string, number>
  readonly steps: ReadonlyMap<string, readonly TrackStep[]>
  /** What a group that has no records comes to. */
  readonly nothing: FigureValue
}

/** The values of several figures at a moment, for one group; `null` for blank. */
export interface Together {
  readonly grp: string
  readonly mover: Mover
  readonly values: readonly FigureValue[]
  readonly n: number
}

/** The group of a figure without groups. */
export const WHOLE = 'null'

/** Most moments that groups without moves of their own are told for; beyond that, moves that follow one another are taken as one. */
const MOST = 1_000_000

/** All groups that figures have together: those of the grouped ones, else the one. */
export function groupsOf(tracks: readonly Track[]): string[] {
  const grouped = tracks.filter((t) => t.isGrouped)
  return grouped.length === 0 ? [WHOLE] : [...new Set(grouped.flatMap((t) => [...t.begun.keys(), ...t.steps.keys()]))]
}

/** How many records are behind what several figures begin with, for a group: as many as behind the largest of them. */
export const countOf = (tracks: readonly Track[], grp: string): number => Math.max(0, ...countsOf(tracks, grp))

const countsOf = (tracks: readonly Track[], grp: string): number[] => tracks.map((track) => track.counts.get(track.isGrouped ? grp : WHOLE) ?? 0)

/** What several figures begin with, for a group. */
export function begunOf(tracks: readonly Track[], grp: string): FigureValue[] {
  return tracks.map((track) => track.begun.get(track.isGrouped ? grp : WHOLE) ?? track.nothing)
}

/**
 * Follows several figures side by side: one transaction, or one midnight, moves all of them at once. A figure's own order is kept; where two transactions overlapped and figures have them
 * in different orders, each figure moves by itself.
 */
export function together(tracks: readonly Track[]): Together[] {
  const groups = groupsOf(tracks)
  const moments = momentsOf(tracks)
  const isMixed = tracks.some((t) => !t.isGrouped) && tracks.some((t) => t.isGrouped)
  const stride = isMixed ? Math.max(1, Math.ceil((moments.length * groups.length) / MOST)) : 1
  const values = new Map(groups.map((grp) => [grp, begunOf(tracks, grp)]))
  const counts = new Map(groups.map((grp) => [grp, countsOf(tracks, grp)]))
  const told: Together[] = []
  for (let i = 0; i < moments.length; i += stride) {
    const touched = new Map<string, Mover>()
    for (const moment of moments.slice(i, i + stride)) {
      for (const { track, grp, step } of moment.steps) {
        for (const own of tracks[track]?.isGrouped ? [grp] : groups) {
          const held = values.get(own)
          if (!held) continue
          held[track] = step.value ?? tracks[track]?.nothing ?? null
          const n = counts.get(own)
          if (n) n[track] = step.n
          touched.set(own, moment.mover)
        }
      }
    }
    for (const [grp, mover] of touched) told.push({ grp, mover, values: [...(values.get(grp) ?? [])], n: Math.max(0, ...(counts.get(grp) ?? [])) })
  }
  return told
}

interface Placed {
  readonly track: number
  readonly grp: string
  readonly step: TrackStep
}

interface Moment {
  readonly mover: Mover
  readonly steps: Placed[]
}

const later = (a: Mover, b: Mover) => a.at - b.at || (a.change ?? -1) - (b.change ?? -1)

/** The moments at which figures move, in order: steps of one transaction stand together where every figure's own order allows it. */
function momentsOf(tracks: readonly Track[]): Moment[] {
  const last = new Map<string, Mover>()
  const idOf = ({ xid, at }: Mover) => xid ?? `the calendar at ${at}`
  for (const track of tracks)
    for (const steps of track.steps.values())
      for (const { mover } of steps) {
        const known = last.get(idOf(mover))
        if (!known || later(mover, known) > 0) last.set(idOf(mover), mover)
      }
  const moments = new Map<string, Moment & { readonly rank: number }>()
  tracks.forEach((track, place) => {
    let reached: Mover | null = null
    let rank = 0
    for (const { grp, step } of inOrder(track)) {
      const own = last.get(idOf(step.mover)) ?? step.mover
      const isHeldBack: boolean = reached !== null && later(own, reached) < 0
      const mover: Mover = isHeldBack && reached ? { ...own, at: reached.at, change: reached.change } : own
      rank = isHeldBack ? rank + 1 : 0
      reached = mover
      const key = `${mover.at} ${mover.change} ${rank} ${idOf(step.mover)}`
      const moment = moments.get(key) ?? { mover, steps: [], rank }
      moments.set(key, moment)
      moment.steps.push({ track: place, grp, step })
    }
  })
  return [...moments.values()].sort((a, b) => later(a.mover, b.mover) || a.rank - b.rank)
}

/** The steps of all groups of a figure, in the order in which they came. */
function inOrder(track: Track): { grp: string; step: TrackStep }[] {
  return [...track.steps].flatMap(([grp, steps]) => steps.map((step) => ({ grp, step }))).sort((a, b) => later(a.step.mover, b.step.mover))
}
