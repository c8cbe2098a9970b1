'use client'

import type { Suppression } from '@/store/suppressions'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Time } from '../parts/time'
import { Row, Section } from './section'

interface Props {
  readonly suppressions: readonly Suppression[]
  /** Whether there are more than are shown. */
  readonly more: boolean
  readonly locale: string
  readonly zone: string
}

/** Addresses that bounced for good, and a way to write to them again. */
export function Suppressions({ suppressions, more, locale, zone }: Props) {
  const { busy, act } = useDeed()
  return (
    <Section title="Suppressed addresses" note="Mail to these bounced for good, so no more is sent to them. Lift one when its mailbox is there again.">
      {suppressions.length === 0 && <p className="text-muted">No address is suppressed.</p>}
      <ul>
        {suppressions.map(({ address, reason, at }) => (
          <Row
            key={address}
            actions={
              <Button disabled={busy} onClick={() => act(() => call('DELETE', `/api/v1/suppressions/${encodeURIComponent(address)}`), `Mail goes to ${address} again.`)}>
                Lift
              </Button>
            }
          >
            <b className="font-semibold">{address}</b>{' '}
            <span className="text-muted">
              since <Time at={at} locale={locale} zone={zone} />: the server said “{reason}”
            </span>
          </Row>
        ))}
      </ul>
      {more && <p className="text-muted">There are more than are shown here; GET /api/v1/suppressions lists all.</p>}
    </Section>
  )
}
