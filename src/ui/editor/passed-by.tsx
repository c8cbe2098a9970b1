'use client'

import { useQuery } from '@tanstack/react-query'
import type { PassedByForecast } from '@/engine/passed-by'
import { call } from '../api'
import { Confirm } from '../parts/confirm'
import { counted, mailAndNotices } from '../today/summary'

interface Props {
  /** What is asked about: running what passed by, or resuming a workflow that changes have passed by; null asks nothing. */
  readonly asking: 'catch-up' | 'resume' | null
  readonly close: () => void
  readonly name: string
  readonly passedBy: number
  readonly onDeed: (verb: 'catch-up' | 'resume') => void
}

/** Asks before what passed a workflow by is run, or let pass for now, with what would be sent, to how many. */
export function AskPassedBy({ asking, close, name, passedBy, onDeed }: Props) {
  const forecast = useForecast(asking === null ? null : name)
  if (asking === null) return null
  const isRunning = asking === 'catch-up'
  return (
    <Confirm
      open
      setOpen={(open) => !open && close()}
      title={isRunning ? `Run the ${counted(passedBy, 'change')} that passed by?` : 'Resume it?'}
      deed={isRunning ? runWords(forecast) : 'Resume'}
      leave={isRunning ? 'Leave them' : 'Not yet'}
      kind="main"
      waits={isRunning && forecast === null}
      onDeed={() => onDeed(asking)}
      before={forecast && forecast.recipients.length > 0 && <Recipients forecast={forecast} />}
    >
      {isRunning
        ? 'They are run now, with the version that was paused and with records as they are now.'
        : `From this moment changes fire it again. The ${counted(passedBy, 'change')} that passed it by stay passed by; they can be run afterwards.`}{' '}
      {forecast === null ? 'Working out what they would send …' : forecastWords(forecast)}
    </Confirm>
  )
}

function useForecast(name: string | null): PassedByForecast | null {
  const { data, isFetching } = useQuery({
    queryKey: ['catch-up', name],
    queryFn: ({ signal }) => call<PassedByForecast>('GET', `/api/v1/workflows/${encodeURIComponent(name ?? '')}/catch-up`, undefined, signal),
    enabled: name !== null,
    gcTime: 0, // it is asked anew each time: more may have passed by
  })
  return isFetching ? null : (data ?? null)
}

const runWords = (forecast: PassedByForecast | null) =>
  forecast === null
    ? 'Run them'
    : forecast.messages + forecast.notices === 0
      ? 'Run them; no mail goes'
      : `Run them and send ${mailAndNotices(forecast.messages, forecast.notices)}`

/** What running them would come to, in a sentence. */
function forecastWords({ changes, looked, firings, failing, messages, notices, recipients }: PassedByForecast): string {
  const of = looked < changes ? `Of the newest ${looked}` : 'Of them'
  const failed = failing ? `, ${failing} would fail` : ''
  const sent = [
    ...(messages ? [`${counted(messages, 'mail')} would go to ${counted(recipients.length, 'address', 'addresses')}`] : []),
    ...(notices ? [`${counted(notices, 'notice')} would be given`] : []),
  ]
  const mail = `, and ${sent.join(' and ') || 'no mail would go'}`
  return `${of} ${firings} would fire it${failed}${mail}.`
}

const SHOWN = 5

function Recipients({ forecast: { recipients } }: { forecast: PassedByForecast }) {
  return (
    <ul className="mb-5 border-rule border-t text-sm">
      {recipients.slice(0, SHOWN).map((r) => (
        <li key={r.address} className="flex justify-between gap-4 border-rule border-b py-1">
          <span className="truncate">{r.address}</span>
          <span className="text-muted">{counted(r.messages, 'mail')}</span>
        </li>
      ))}
      {recipients.length > SHOWN && <li className="py-1 text-muted">and {counted(recipients.length - SHOWN, 'other')}</li>}
    </ul>
  )
}
