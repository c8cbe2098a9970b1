import { scaleLinear } from 'd3'
import { MarginTitle } from '../parts/page'

/** Who was written to most today; a long bar is somebody who may be flooded. */
export function MostWritten({ rows }: { rows: readonly { address: string; name: string; messages: number }[] }) {
  const share = scaleLinear()
    .domain([0, Math.max(1, ...rows.map((r) => r.messages))])
    .range([0, 100])
  return (
    <section className="mb-8">
      <MarginTitle note="Messages sent today, all workflows">Who was written to most</MarginTitle>
      {rows.length === 0 && <p className="text-muted">Nobody yet.</p>}
      <ol>
        {rows.map((r) => (
          <li key={r.address} className="grid grid-cols-[minmax(0,150px)_1fr_2.5rem] items-center gap-3 py-1">
            <span className="truncate" title={r.address}>
              {r.name}
            </span>
            <span aria-hidden className="block h-2 border-spruce border-r-2 bg-spruce-wash" style={{ width: `${share(r.messages)}%` }} />
            <b className="text-right font-semibold">{r.messages}</b>
          </li>
        ))}
      </ol>
    </section>
  )
}
