import { scaleLinear } from 'd3'
import type { NoisyRow } from '@/store/today'
import Link from '../parts/link'
import { MarginTitle } from '../parts/page'
import { pastChangesPage } from '../propose/address'

/** Which workflows write most to one person, and to whom. */
export function Noisy({ rows }: { rows: readonly NoisyRow[] }) {
  if (rows.length === 0) return null
  const share = scaleLinear()
    .domain([0, Math.max(1, ...rows.map((r) => r.messages))])
    .range([0, 100])
  return (
    <section className="mb-8">
      <MarginTitle note="Most mail to one person in the last 7 days">Noisiest workflows</MarginTitle>
      <ol>
        {rows.map((r) => (
          <li key={r.workflow} className="grid grid-cols-[minmax(0,1fr)_64px_2.5rem] items-center gap-3 border-rule border-t py-1">
            <span className="min-w-0">
              <Link href={`/runs?workflow=${encodeURIComponent(r.workflow)}`} className="block truncate text-ink leading-6">
                {r.workflow}
              </Link>
              <span className="block truncate text-muted text-xs">
                to {r.name}
                {r.anHour > 2 && `, ${r.anHour} of them within an hour`}{' '}
                <Link href={pastChangesPage({ within: r.workflow })} className="underline underline-offset-2" aria-label={`Where ${r.workflow} should not have fired`}>
                  less of it
                </Link>
              </span>
            </span>
            <span aria-hidden className="block h-2 justify-self-start border-spruce border-r-2 bg-spruce-wash" style={{ width: `${share(r.messages)}%` }} />
            <b className="text-right font-semibold">{r.messages}</b>
          </li>
        ))}
      </ol>
    </section>
  )
}
