import type { Finding } from '@/core/review/review'
import type { Line } from '@/core/words/brief'
import type { Evidence } from './evidence'
import type { ShownRehearsal } from './rehearsing'

/** The line a finding is about: the one with the longest path that its path lies under. */
export function lineOf(finding: Finding, lines: readonly Line[]): Line | undefined {
  const under = lines.filter((l) => finding.path === l.path || finding.path.startsWith(`${l.path}/`))
  return under.sort((a, b) => b.path.length - a.path.length)[0] ?? (finding.path === '/actions' ? (lines.findLast((l) => l.role === 'email') ?? lines[lines.length - 1]) : lines[0])
}

/** How many past changes are alive at a line; null where it lets through what came to it, or where that is not known. */
export function countAt(line: Line, lines: readonly Line[], evidence: Pick<Evidence, 'cued' | 'alive' | 'firings' | 'stays'>, rehearsal: ShownRehearsal | null): number | null {
  if (line.kind === 'cue') return evidence.cued
  if (line.kind === 'clause') return evidence.alive[line.path] ?? null
  if (line.kind === 'conditions' && line.depth === 0) return line.role === 'becomes' || !lines.some((l) => l.kind === 'clause') ? evidence.firings : null
  if (line.kind === 'conditions') return evidence.alive[line.path] ?? null
  if (line.kind === 'limit') {
    return rehearsal?.limits.find((l) => l.path === line.path)?.through ?? null
  }
  if (line.kind !== 'action' && line.kind !== 'branch') return null
  if (line.muted) return null
  if (rehearsal && (rehearsal.firings === evidence.firings || (rehearsal.stays && evidence.stays))) return rehearsal.byAction[line.path] ?? 0
  if (evidence.stays) return line.depth === 0 ? evidence.stays.stayed : null
  return line.depth === 0 ? evidence.firings : null
}

/** The branch that a line is, or stands in; undefined where it stands in none. */
export const branchOf = (path: string): string | undefined => /^.*\/(branches\/\d+|otherwise)(?=\/|$)/.exec(path)?.[0]
