'use client'

import Link from '../parts/link'
import { Time } from '../parts/time'
import type { PastAnswer } from './told'

/** Crossings that are listed, the newest. */
const SHOWN = 12

/** What crossed a figure's thresholds, newest first: when, which group, from what to what, and the change that moved it. */
export function CrossingTimeline({ past, shown }: { past: PastAnswer; shown: (value: number | string | null) => string }) {
  if (past.crossings.length === 0) return null
  const titles = new Map(past.lines.map((l) => [JSON.stringify(l.group), l.title]))
  return (
    <section aria-label="Crossings" className="mt-5">
      <h2 className="mb-1 font-semibold text-rope text-xs uppercase tracking-wide">What crossed</h2>
      <ol>
        {past.crossings.slice(0, SHOWN).map((c) => (
          <li key={`${c.at} ${c.threshold} ${JSON.stringify(c.group)}`} className="grid grid-cols-[minmax(0,1fr)_auto_5rem] items-baseline gap-3 border-rule border-t py-1 text-sm">
            <span className="truncate">
              {titles.get(JSON.stringify(c.group)) || c.threshold}
              {titles.get(JSON.stringify(c.group)) && <span className="text-muted"> {c.threshold}</span>}
            </span>
            <span className="figures whitespace-nowrap">
              {shown(c.before)} → <b className="font-semibold">{shown(c.value)}</b>
            </span>
            <span className="text-right text-muted">
              {c.change === null ? (
                <Time at={c.at} />
              ) : (
                <Link href={`/changes/${c.change}`}>
                  <Time at={c.at} />
                </Link>
              )}
            </span>
          </li>
        ))}
      </ol>
      {past.crossings.length > SHOWN && <p className="border-rule border-t py-1 text-muted text-sm">and {past.crossings.length - SHOWN} before</p>}
    </section>
  )
}
