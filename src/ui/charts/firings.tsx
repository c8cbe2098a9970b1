import { group, rollup, scaleTime, sum } from 'd3'
import Link from '../parts/link'

/** How often a workflow fired in a while, and when it did so first. */
interface Fired {
  readonly workflow: string
  readonly count: number
  readonly first: readonly Date[]
}

const WIDTH = 600
const ROW = 28
const DOT = 4
const DAY_S = 86_400

/** Dots that lie on one another in a heap; more would reach beyond their line, and how many there are stands beside it. */
const HIGHEST = 4

/** How many seconds of the day fall into one heap, and how many of its firings are to be seen. */
export const HEAPS = { seconds: (DAY_S * DOT * 1.4) / WIDTH, seen: HIGHEST }

/** What a workflow fired, as one path: dots, each heap on one place of its line. */
const heaped = (heaps: readonly Fired[], x: (at: Date) => number): string =>
  heaps.flatMap(({ first }) => first.map((at, height) => `M${x(at).toFixed(1)} ${ROW - 7 - height * 5}h0.001`)).join('')

/** Most workflows that have a line each; of more, those that fired most. */
const MOST_LINES = 40

/** Which workflows have a line: all where they are few, else those that fired, most first; and how many are left out, of those that fired and of the others. */
function linesOf(workflows: readonly string[], counts: ReadonlyMap<string, number>): { names: readonly string[]; fired: number; quiet: number } {
  const all = [...new Set([...workflows, ...counts.keys()])]
  if (all.length <= MOST_LINES) return { names: all, fired: 0, quiet: 0 }
  const fired = [...counts].sort(([, a], [, b]) => b - a).map(([name]) => name)
  return { names: fired.slice(0, MOST_LINES), fired: Math.max(0, fired.length - MOST_LINES), quiet: all.length - fired.length }
}

/** Each firing of the day as a dot on its workflow's line, up to now. */
export function Firings({ firings, workflows, midnight, now }: { firings: readonly Fired[]; workflows: readonly string[]; midnight: Date; now: Date }) {
  const x = scaleTime()
    .domain([midnight, new Date(midnight.getTime() + DAY_S * 1_000)])
    .range([0, WIDTH])
  const heapsOf = group(firings, (fired) => fired.workflow)
  const counts = rollup(
    firings,
    (heaps) => sum(heaps, (heap) => heap.count),
    (fired) => fired.workflow,
  )
  const { names, fired, quiet } = linesOf(workflows, counts)
  if (names.length === 0 && quiet === 0) return null
  const hours = [0, 6, 12, 18, 24]
  const present = x(now)
  return (
    <section aria-label="Firings today, by workflow">
      <h2 className="mb-2 font-semibold text-muted text-sm">Firings today, by workflow</h2>
      <div className="grid grid-cols-[minmax(120px,200px)_2.5rem_minmax(0,1fr)] gap-x-3">
        {names.map((name) => {
          const [heaps, times] = [heapsOf.get(name) ?? [], counts.get(name) ?? 0]
          return (
            <div key={name} className="contents">
              <Link href={`/runs?workflow=${encodeURIComponent(name)}`} className="truncate text-ink leading-7">
                {name}
              </Link>
              <span className="text-right text-muted leading-7">{times}</span>
              <svg role="img" aria-label={`${name} fired ${times} times today`} viewBox={`0 0 ${WIDTH} ${ROW}`} preserveAspectRatio="none" className="h-7 w-full overflow-visible">
                {hours.map((h) => (
                  <line key={h} x1={(h / 24) * WIDTH} x2={(h / 24) * WIDTH} y1={0} y2={ROW} stroke="var(--rule)" vectorEffect="non-scaling-stroke" />
                ))}
                <line x1={0} x2={WIDTH} y1={ROW - 7} y2={ROW - 7} stroke="var(--rule)" vectorEffect="non-scaling-stroke" />
                <line x1={present} x2={present} y1={0} y2={ROW} stroke="var(--rope-mark)" strokeWidth={1.5} vectorEffect="non-scaling-stroke" />
                {times > 0 && (
                  <path d={heaped(heaps, x)} stroke="var(--spruce)" strokeOpacity={0.75} strokeWidth={DOT * 2} strokeLinecap="round" vectorEffect="non-scaling-stroke" />
                )}
              </svg>
            </div>
          )
        })}
        <div className="col-start-3 flex justify-between overflow-hidden text-muted text-xs max-sm:[&>span:nth-child(even)]:hidden">
          {hours.map((h) => (
            <span key={h}>{String(h).padStart(2, '0')}:00</span>
          ))}
        </div>
      </div>
      {fired + quiet > 0 && (
        <p className="mt-1 text-muted text-sm">
          {[fired > 0 ? `${fired} more fired less often` : '', quiet > 0 ? `${quiet} live ones did not fire` : ''].filter(Boolean).join(', ')}.{' '}
          <Link href="/workflows">All workflows</Link>
        </p>
      )}
    </section>
  )
}
