'use client'

import { useState } from 'react'
import { call } from '../api'
import { Button } from '../parts/button'
import { Confirm } from '../parts/confirm'
import { useDeed } from '../parts/deed'
import { Time } from '../parts/time'
import { Row, Section } from './section'

const SECRETS = [
  { name: 'why', signs: '“Why you got this” links', lost: 'Every “why you got this” link in mail that was sent before leads nowhere from then on.' },
  {
    name: 'account',
    signs: 'Invitations, links for new passwords, and browsers that are known',
    lost: 'Invitations and links for new passwords that were sent before count no more; send them again.',
  },
] as const

type Name = (typeof SECRETS)[number]['name']

/** The secrets that links are signed with, each replaced where somebody may have come to know it. */
export function Secrets({ ages, locale, zone }: { ages: Readonly<Record<Name, Date | null>>; locale: string; zone: string }) {
  const [asked, setAsked] = useState<Name | null>(null)
  const { busy, act } = useDeed()
  const secret = SECRETS.find((s) => s.name === asked)
  return (
    <Section
      title="Signing secrets"
      note="Links in mail are signed, so that nobody makes one up. The secrets are sealed with a key outside the database; replace one when somebody may know it."
    >
      <ul>
        {SECRETS.map(({ name, signs }) => (
          <Row
            key={name}
            actions={
              <Button kind="alarm" disabled={busy} onClick={() => setAsked(name)}>
                Replace it
              </Button>
            }
          >
            {signs}{' '}
            <span className="text-muted">
              {ages[name] ? 'since ' : 'not used yet'}
              {ages[name] && <Time at={ages[name]} locale={locale} zone={zone} />}
            </span>
          </Row>
        ))}
      </ul>
      <Confirm
        open={asked !== null}
        setOpen={(open) => !open && setAsked(null)}
        title="Replace this secret?"
        deed="Replace it"
        leave="Keep it"
        kind="alarm"
        onDeed={() => act(() => call('POST', `/api/v1/settings/secrets/${asked}`), 'Replaced. Links sent from now on are signed with the new one.')}
      >
        {secret?.lost}
      </Confirm>
    </Section>
  )
}
