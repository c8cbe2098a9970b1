'use client'

import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Time } from '../parts/time'
import { Row, Section } from './section'

interface Props {
  readonly stops: readonly { readonly workflow: string; readonly address: string; readonly at: Date }[]
  readonly more: boolean
  readonly locale: string
  readonly zone: string
}

/** Recipients outside who said stop, and a way to take that back for them. */
export function Stops({ stops, more, locale, zone }: Props) {
  const { busy, act } = useDeed()
  const undo = (workflow: string, address: string) =>
    act(() => call('DELETE', `/api/v1/stops/${encodeURIComponent(workflow)}/${encodeURIComponent(address)}`), `Mail of ${workflow} goes to ${address} again.`)
  return (
    <Section title="Who said stop" note="Recipients outside who want no more mail of a workflow. Their runs say so. Take one back only when they ask for it.">
      {stops.length === 0 && <p className="text-muted">Nobody has said stop.</p>}
      <ul>
        {stops.map(({ workflow, address, at }) => (
          <Row
            key={`${workflow} ${address}`}
            actions={
              <Button disabled={busy} onClick={() => undo(workflow, address)}>
                Take back
              </Button>
            }
          >
            <b className="font-semibold">{address}</b>{' '}
            <span className="text-muted">
              of {workflow}, <Time at={at} locale={locale} zone={zone} />
            </span>
          </Row>
        ))}
      </ul>
      {more && <p className="text-muted">There are more than are shown here; GET /api/v1/stops lists all.</p>}
    </Section>
  )
}
