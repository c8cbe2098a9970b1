import { useQuery } from '@tanstack/react-query'
import { useMemo } from 'react'
import type { Wording } from '@/core/conditions/sentence'
import type { Workflow } from '@/core/document/document'
import { briefOf, type Line } from '@/core/words/brief'
import { watch } from '../api'
import { useAsked } from '../parts/queries'
import { asksForPresent } from './ask-live'
import { countAt } from './at-lines'
import type { Found } from './evidence'
import type { Rehearsing, ShownRehearsal } from './rehearsing'
import type { Standing } from './standing'

/** The version that is live, as it stands behind an edited draft: its lines, how many past changes are alive at each, and its rehearsal. */
export interface Behind {
  readonly lines: readonly Line[]
  readonly countOf: (line: Line) => number | null
  readonly rehearsal: ShownRehearsal | null
}

/** The live version behind a draft that is ahead of it; null where the draft is what is live, or nothing is. Its numbers come once, for it does not change while one edits. */
export function useBehind(live: Workflow | null, isAhead: boolean, name: string | null, days: number, wording: Wording): Behind | null {
  const wanted = isAhead ? live : null
  const { answer } = useAsked<Pick<Found, 'evidence'>>('/api/v1/evidence', wanted && { workflow: wanted, sample: null, was: name ?? undefined, part: 'newest' }, 0)
  const question = JSON.stringify({ workflow: wanted, days, samples: 0, was: name ?? undefined })
  const { data } = useQuery({
    queryKey: ['rehearse', question],
    queryFn: ({ signal }) => watch<ShownRehearsal>('/api/v1/rehearse', JSON.parse(question), signal, () => undefined),
    enabled: wanted !== null,
  })
  return useMemo(() => {
    if (!wanted) return null
    const lines = briefOf(wanted, wording)
    const evidence = answer?.evidence ?? null
    const rehearsal = data ?? null
    return { lines, rehearsal, countOf: (line) => evidence && countAt(line, lines, evidence, rehearsal) }
  }, [wanted, wording, answer, data])
}

/** How a line of a draft stands to the same line of the live version. */
export interface Against {
  /** What it said, shortened to what differs: “40 → 60”; `new` where the live version has no such line, null where it says the same. */
  readonly mark: string | null
  readonly count: number | null
}

/** How a line stands to the one of the live version in its place. */
export function againstLive(line: Line, { lines, countOf }: Behind): Against {
  const was = lines.find((l) => l.path === line.path && l.kind === line.kind)
  if (!was) return { mark: 'new', count: null }
  const [before, now] = [`${was.words}${was.detail ? ` · ${was.detail}` : ''}`, `${line.words}${line.detail ? ` · ${line.detail}` : ''}`]
  return { mark: before === now ? null : wordsApart(before, now), count: countOf(was) }
}

const LONGEST = 60

/** The words in which two texts differ: “40 → 60”. */
export function wordsApart(before: string, now: string): string {
  const [a, b] = [before.split(' '), now.split(' ')]
  let start = 0
  while (start < Math.min(a.length, b.length) && a[start] === b[start]) start++
  let end = 0
  while (end < Math.min(a.length, b.length) - start && a[a.length - 1 - end] === b[b.length - 1 - end]) end++
  const part = (words: readonly string[]) => {
    const text = words.slice(start, words.length - end).join(' ') || 'nothing'
    return text.length > LONGEST ? `${text.slice(0, LONGEST - 1)}…` : text
  }
  return `${part(a)} → ${part(b)}`
}

/** How many past changes are alive at each line, of the version that is live, in the order of the draft’s lines. */
export const behindAt = (lines: readonly Line[], behind: Behind) =>
  lines.map((line) => {
    const was = behind.lines.find((l) => l.path === line.path && l.kind === line.kind)
    return { path: line.path, count: was ? behind.countOf(was) : null }
  })

/** Whether an edit of what is live goes live with one press: where nothing speaks against it and nothing has to be asked. */
export function goesAtOnce(standing: Standing, isLive: boolean, document: Workflow, rehearsal: Rehearsing, failing: readonly unknown[]): boolean {
  if (standing.state !== 'live' || isLive || standing.held > 0 || failing.length > 0 || asksForPresent(document)) return false
  const { answer, busy } = rehearsal
  return document.cue.kind === 'by hand' || (answer !== null && !busy && answer.review.length === 0)
}
