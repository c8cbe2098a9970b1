import { quantileSorted, range, scaleLog } from 'd3'
import { MarginTitle } from '../parts/page'
import { span } from '../today/summary'

const WIDTH = 396
const HEIGHT = 44
const TICKS = [10, 30, 100, 300, 1_000, 3_000]

/** Strokes lie on one another in so many layers, each one path: where many messages took as long, it is darker. */
const LAYERS = 8

/** The strokes of a layer, of different heights so that those side by side can be told apart. */
const strokes = (sorted: readonly number[], x: (ms: number) => number, layer: number): string =>
  sorted.flatMap((ms, i) => (i % LAYERS === layer ? `M${x(ms).toFixed(1)} ${12 + ((i * 7) % 13)}V${HEIGHT}` : [])).join('')

/** How long each message took from the save to the mail server's acceptance, one stroke a message, on a logarithmic line. */
export function Latency({ milliseconds }: { milliseconds: readonly number[] }) {
  const sorted = [...milliseconds].sort((a, b) => a - b)
  const x = scaleLog().domain([5, 5_000]).range([0, WIDTH]).clamp(true)
  const half = quantileSorted(sorted, 0.5)
  const most = quantileSorted(sorted, 0.99)
  const words = half === undefined || most === undefined ? 'No mail in the last day.' : `Half under ${span(half)}, 99 of 100 under ${span(most)}`
  return (
    <section className="mb-8">
      <MarginTitle note={words}>Save to acceptance by the mail server</MarginTitle>
      <svg role="img" aria-label={words} viewBox={`0 0 ${WIDTH} ${HEIGHT + 18}`} className="w-full">
        {range(LAYERS).map((layer) => (
          <path key={layer} d={strokes(sorted, x, layer)} stroke="var(--spruce)" strokeOpacity={0.45} />
        ))}
        <line x1={0} x2={WIDTH} y1={HEIGHT} y2={HEIGHT} stroke="var(--rule)" />
        {TICKS.map((t) => (
          <text key={t} x={x(t)} y={HEIGHT + 14} textAnchor="middle" fontSize={11} fill="var(--muted)">
            {t < 1_000 ? `${t} ms` : `${t / 1_000} s`}
          </text>
        ))}
      </svg>
    </section>
  )
}
