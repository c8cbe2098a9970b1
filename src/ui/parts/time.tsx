'use client'

import { useEffect, useState } from 'react'
import { cached, ofMoments } from '@/core/values/formatters'

const STEPS: readonly [limit: number, unit: Intl.RelativeTimeFormatUnit, size: number][] = [
  [60, 'second', 1],
  [3_600, 'minute', 60],
  [86_400, 'hour', 3_600],
  [7 * 86_400, 'day', 86_400],
]

function relative(at: Date, now: Date, locale: string): string {
  const seconds = (at.getTime() - now.getTime()) / 1000
  const step = STEPS.find(([limit]) => Math.abs(seconds) < limit)
  if (!step) return ofMoments(locale, { day: 'numeric', month: 'short', ...(at.getFullYear() === now.getFullYear() ? {} : { year: 'numeric' }) }).format(at)
  return cached(`ago ${locale}`, () => new Intl.RelativeTimeFormat(locale, { numeric: 'auto', style: 'short' })).format(Math.round(seconds / step[2]), step[1])
}

const exactly = (moment: Date, locale: string, zone: string | undefined) => ofMoments(locale, { dateStyle: 'full', timeStyle: 'medium', timeZone: zone }).format(moment)

/** A moment, relative to now, with the exact time on hover. */
export function Time({ at, locale = 'en-GB', zone }: { at: string | Date; locale?: string; zone?: string }) {
  const moment = new Date(at)
  const [now, setNow] = useState(() => new Date())
  useEffect(() => {
    const timer = setInterval(() => setNow(new Date()), 10_000)
    return () => clearInterval(timer)
  }, [])
  return (
    <time dateTime={moment.toISOString()} title={exactly(moment, locale, zone)} suppressHydrationWarning className="whitespace-nowrap">
      {relative(moment, now, locale)}
    </time>
  )
}

/** A moment to come, by the clock: “17:45”, or with its day where that is another. */
export function ClockTime({ at, locale = 'en-GB', zone }: { at: string | Date; locale?: string; zone?: string }) {
  const moment = new Date(at)
  const day = (date: Date) => ofMoments('en-CA', { timeZone: zone }).format(date)
  const isToday = day(moment) === day(new Date())
  const shown = ofMoments(locale, { hour: '2-digit', minute: '2-digit', timeZone: zone, ...(isToday ? {} : { day: 'numeric', month: 'short' }) }).format(moment)
  return (
    <time dateTime={moment.toISOString()} title={exactly(moment, locale, zone)} suppressHydrationWarning className="whitespace-nowrap">
      {shown}
    </time>
  )
}
