'use client'

import type { TableDef } from '@/core/values/tables'
import type { ToldForecast } from '@/engine/answers/bulk'
import { MarginTitle } from '../parts/page'
import { TableHead } from '../parts/table-head'
import { counted, sentWords } from '../today/summary'
import { records } from './words'

const SHOWN = 10

interface Props {
  readonly forecast: ToldForecast | null
  readonly fault: string | null
  readonly busy: boolean
  readonly table: TableDef
  readonly quiet: boolean
  /** Whether it stands in a page's margin, which has room of its own around it. */
  readonly inMargin?: boolean
}

/** What would be set off: workflows with their runs and mails, and the ten who would get most. */
export function ForecastView({ forecast, fault, busy, table, quiet, inMargin = false }: Props) {
  return (
    <section aria-label="What it sets off" aria-busy={busy} className={inMargin ? '' : 'overflow-y-auto border-rule border-l bg-paper px-6 py-6'}>
      <MarginTitle>What it sets off</MarginTitle>
      {fault && (
        <p role="alert" className="text-alarm">
          {fault}
        </p>
      )}
      {!forecast && !fault && <p className="text-muted">{busy ? 'Working it out; nothing is written or sent …' : 'What comes of it stands here before it is done.'}</p>}
      {forecast && <SetOff forecast={forecast} table={table} quiet={quiet} busy={busy} />}
    </section>
  )
}

function SetOff({ forecast, table, quiet, busy }: { forecast: ToldForecast; table: TableDef; quiet: boolean; busy: boolean }) {
  const { workflows, notices, addresses, recipients, changes, looked } = forecast
  const sent = sentWords(forecast, addresses)
  if (changes === 0) return <p className="font-serif text-lg">Nothing would change, so nothing is set off.</p>
  if (quiet)
    return (
      <p className="font-serif text-lg leading-snug">
        Workflows let it pass by. It is in the log as ever, and counted at each workflow that waits for such changes, which can be run for it later.
      </p>
    )
  return (
    <div className={busy ? 'opacity-60' : ''}>
      <p className="mb-2 font-serif text-lg leading-snug">
        {workflows.length === 0 ? 'No live workflow would fire.' : `${counted(workflows.length, 'workflow')} would fire, and send ${sent ?? 'nothing'}.`}
      </p>
      {looked < changes && (
        <p className="mb-2 border-rope-mark border-l-3 pl-3 text-rope text-sm">
          Told of the first {records(looked, table)}; there are {changes.toLocaleString('en-GB')}.
        </p>
      )}
      {workflows.length > 0 && (
        <table className="mb-4 w-full text-sm">
          <TableHead columns={['Workflow', ['runs', 'text-right'], ['mails', 'text-right'], ...(notices > 0 ? [['notices', 'text-right'] as const] : [])]} />
          <tbody>
            {workflows.map((w) => (
              <tr key={w.name} className="border-rule border-t align-baseline">
                <td className="py-1">
                  {w.name}
                  {w.waits > 0 && <span className="block text-muted text-xs">{counted(w.waits, 'wait')} would begin</span>}
                  {w.failing > 0 && <span className="block text-alarm text-xs">{counted(w.failing, 'run')} would fail</span>}
                </td>
                <td className="figures text-right">{w.firings.toLocaleString('en-GB')}</td>
                <td className="figures text-right">{w.messages.toLocaleString('en-GB')}</td>
                {notices > 0 && <td className="figures text-right">{w.notices.toLocaleString('en-GB')}</td>}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {recipients.length > 0 && (
        <>
          <h3 className="text-muted text-xs">Who would get most</h3>
          <ul className="text-sm">
            {recipients.slice(0, SHOWN).map((r) => (
              <li key={r.address} className="flex justify-between gap-4 border-rule border-t py-0.5">
                <span className="truncate" title={r.address}>
                  {r.address}
                </span>
                <span className="figures">{r.messages.toLocaleString('en-GB')}</span>
              </li>
            ))}
          </ul>
          {addresses > SHOWN && <p className="text-muted text-sm">and {counted(addresses - SHOWN, 'other')}</p>}
        </>
      )}
    </div>
  )
}
