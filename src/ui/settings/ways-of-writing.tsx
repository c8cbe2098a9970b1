import { formatDay, formatInstant, formatMoney, formatNumber } from '@/core/values/format'
import type { Settings } from '@/store/settings'
import { MarginTitle } from '../parts/page'

/** What the settings come to: how values come out in mail, and how its head reads. */
export function WaysOfWriting({ settings, now }: { settings: Settings; now: string }) {
  const rows = [
    ['A date', formatDay(now.slice(0, 10), settings)],
    ['A date-time', formatInstant(now, settings)],
    ['A number', formatNumber(12345.5, settings)],
    ['Money', formatMoney(1250, settings)],
    ['From', `${settings.sender.name} <${settings.sender.address}>`],
  ]
  return (
    <>
      <MarginTitle note="With the settings as they are saved">How mail comes out</MarginTitle>
      <dl className="border-rule border-b">
        {rows.map(([label, value]) => (
          <div key={label} className="grid grid-cols-[110px_minmax(0,1fr)] gap-3 border-rule border-t py-1.5">
            <dt className="text-muted">{label}</dt>
            <dd className="break-words font-serif text-lg leading-snug">{value}</dd>
          </div>
        ))}
      </dl>
    </>
  )
}
