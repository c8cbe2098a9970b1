import type { Metadata } from 'next'
import { notFound } from 'next/navigation'
import { mayUse } from '@/app/_server/access'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { nameOf } from '@/app/_server/named'
import { visibleRow } from '@/app/_server/workflows'
import { readSettings } from '@/store/settings'
import { countStays, listStays } from '@/store/stays'
import { listTicks } from '@/store/timetables'
import Link from '@/ui/parts/link'
import { Empty, Page, Title } from '@/ui/parts/page'
import { Time } from '@/ui/parts/time'
import { WaitingList } from '@/ui/stays/waiting-list'
import { counted } from '@/ui/today/summary'

type Props = { params: Promise<{ name: string }> }

const SHOWN = 200
const TICKS_SHOWN = 20

export async function generateMetadata({ params }: Props): Promise<Metadata> {
  return { title: `What waits for ${await nameOf(params)}` }
}

/** What waits to have stayed so for a workflow, soonest first, and the last times of its timetable. */
export default async function WaitingPage({ params }: Props) {
  const actor = await visitor('PAGE /workflows/[name]/waiting')
  const row = await visibleRow(actor, await nameOf(params))
  if (!row) notFound()
  const [settings, stays, counts, ticks] = await Promise.all([
    readSettings(pool()),
    listStays(pool(), { workflow: row.name, open: true, limit: SHOWN }),
    countStays(pool()),
    listTicks(pool(), row.name, TICKS_SHOWN),
  ])
  const waiting = counts.get(row.name) ?? 0
  return (
    <Page>
      <p className="text-sm">
        <Link href={`/workflows/${encodeURIComponent(row.name)}`}>{row.name}</Link>
      </p>
      <Title>What waits</Title>
      {waiting > SHOWN && (
        <p className="text-muted">
          {counted(waiting, 'record')} wait; the {SHOWN} that are due first are shown.
        </p>
      )}
      <WaitingList stays={stays} locale={settings.locale} zone={settings.zone} canCallOff={mayUse(actor.role, 'DELETE /api/v1/stays')} byRecord />
      {ticks.length > 0 && (
        <section aria-label="Last times" className="mt-6">
          <h2 className="role-word text-spruce">Its last times</h2>
          <ul className="border-rule border-b">
            {ticks.map((tick) => (
              <li key={tick.at.toISOString()} className="flex flex-wrap items-baseline gap-x-5 border-rule border-t py-1.5">
                <Time at={tick.at} locale={settings.locale} zone={settings.zone} />
                <span>
                  {tick.fitted.toLocaleString(settings.locale)} fitted, {counted(tick.fired, 'run')}
                </span>
                {tick.ownerless > 0 && <span className="text-rope">{counted(tick.ownerless, 'record')} without an owner left out</span>}
                {tick.late && <span className="text-rope">late: nothing was running when it was due</span>}
                {!tick.done && <span className="text-muted">under way</span>}
              </li>
            ))}
          </ul>
        </section>
      )}
      {stays.length === 0 && ticks.length === 0 && <Empty>Nothing waits for it.</Empty>}
    </Page>
  )
}
