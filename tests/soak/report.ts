import { cpus } from 'node:os'
import type { Pool } from 'pg'
import { one } from '@/store/database'
import type { Count } from './accountant'
import type { Broken } from './chaos'
import { latencyLines, sharesOf } from './latency'
import type { Memory } from './memory'
import type { SoakOptions } from './options'
import type { PageTimes } from './pages'
import { isUndisturbed, type Processor } from './processor'
import type { Watched } from './watch'
import { WORKFLOWS } from './watched'

/** All that a soak found. */
export interface Findings {
  readonly pool: Pool
  readonly options: SoakOptions
  readonly counts: readonly Count[]
  readonly watched: Watched
  readonly broken: Broken
  readonly kills: number
  /** What was refused to writers, by code. */
  readonly refused: ReadonlyMap<string, number>
  readonly pages: PageTimes
  readonly memory: readonly Memory[]
  readonly processor: Processor
}

/** The report in Markdown, as `docs/reliability.md` shows the last long one. */
export async function reportOf(findings: Findings): Promise<string> {
  const { pool, options, counts, watched, broken, kills, refused } = findings
  const { changes } = await one<{ changes: number }>(pool, 'select max(n) as changes from soak.line')
  const wrong = counts.reduce((sum, c) => sum + c.wrong, 0)
  const rows = counts.map(
    ({ what, expected, found, wrong: n, examples }) => `| ${what} | ${expected} | ${found} | ${n} |${examples ? ` <!-- ${JSON.stringify(examples).slice(0, 1_500)} -->` : ''}`,
  )
  return [
    `${changes.toLocaleString('en')} changes and ${kills.toLocaleString('en')} kills in ${options.minutes} minutes, ${options.workers} workers, ${WORKFLOWS.length} workflows, seed ${options.seed}, ${cpus().length} cores, ${new Date().toISOString().slice(0, 10)}.`,
    '',
    '| held against the book | expected | found | wrong |',
    '| --- | --: | --: | --: |',
    ...rows,
    '',
    `Broken on purpose: ${[...broken.counts].map(([name, n]) => `${name} ${n}`).join(', ') || 'nothing'}.`,
    `Refused to writers meanwhile, by code: ${[...refused].map(([code, n]) => `${code} ${n}`).join(', ') || 'nothing'}.`,
    `Health was asked ${watched.asked} times, answered ${watched.answered}, not ok ${watched.notOk}, wrongly ok ${watched.wrong.length}${watched.wrong.length ? `: ${watched.wrong.slice(0, 5).join('; ')}` : ''}.`,
    ...(await latencyLines(pool, findings.processor)),
    ...findings.processor.told,
    '',
    ...pageLines(findings.pages, findings.processor),
    '',
    ...(await memoryLines(findings)),
    '',
    wrong === 0 ? 'Lost 0, doubled 0.' : `${wrong} wrong.`,
    '',
  ].join('\n')
}

/** How long each page took: of all looks, and of those at moments at which the host let the machine be. */
function pageLines({ byPage, failed }: PageTimes, processor: Processor): string[] {
  return [
    '| page, meanwhile | times | median ms | 95 in 100 ms | most ms | undisturbed | median ms | 95 in 100 ms |',
    '| --- | --: | --: | --: | --: | --: | --: | --: |',
    ...[...byPage].map(([page, looks]) => {
      const undisturbed = looks.filter(({ at }) => isUndisturbed(processor, at))
      return `| ${[page, looks.length, ...sharesOf(looks, 0.5, 0.95, 1), undisturbed.length, ...sharesOf(undisturbed, 0.5, 0.95)].join(' | ')} |`
    }),
    ...(failed ? ['', `${failed} pages were not answered.`] : []),
  ]
}

/** What each process that lived to the end had in memory over the last half: a line through it by least squares (SQL's regr_slope). */
async function memoryLines({ pool, memory }: Findings): Promise<string[]> {
  const end = Math.max(0, ...memory.map((m) => m.at))
  const last = memory.filter((m) => m.at >= end / 2)
  const lines = new Map<number, Memory[]>()
  for (const m of last) lines.set(m.pid, [...(lines.get(m.pid) ?? []), m])
  const rows: string[] = []
  for (const line of lines.values()) {
    const [first] = line
    if (!first || line.length < 10 || (line.at(-1)?.at ?? 0) < end - 30) continue
    const { slope } = await one<{ slope: number }>(pool, 'select coalesce(regr_slope(mb, at), 0)::float * 3600 as slope from unnest($1::float[], $2::float[]) as x (at, mb)', [
      line.map((m) => m.at),
      line.map((m) => m.mb),
    ])
    rows.push(`| ${first.part} | ${first.mb.toFixed(0)} | ${line.at(-1)?.mb.toFixed(0)} | ${Math.max(...line.map((m) => m.mb)).toFixed(0)} | ${slope.toFixed(1)} |`)
  }
  return ['| memory over the last half | MB at its begin | at its end | most | a line through it rises by MB an hour |', '| --- | --: | --: | --: | --: |', ...rows]
}
