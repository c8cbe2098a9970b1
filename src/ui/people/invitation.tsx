'use client'

import type { WayIn } from '@/store/access/account-links'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Time } from '../parts/time'
import type { ListedPerson } from './listed'

/** Sends somebody an invitation by mail. @throws Refusal */
export const invite = (email: string) => call('POST', `/api/v1/people/${encodeURIComponent(email)}/invitation`)

/** How somebody comes in: whether they chose a password, how their invitation stands, and another one. */
export function Invitation({ person, way, locale, zone }: { person: ListedPerson; way: WayIn | null; locale: string; zone: string }) {
  const { busy, act } = useDeed()
  const moment = (at: Date) => <Time at={at} locale={locale} zone={zone} />
  return (
    <p className="mb-2 flex items-baseline gap-4 text-sm">
      <span className="text-muted">
        {way?.hasPassword ? 'Signs in by a password.' : 'Has not chosen a password yet.'}{' '}
        {way?.openUntil &&
          (way.sentAt ? <>Invited {moment(way.sentAt)}.</> : way.reply ? <>The invitation is tried again; the mail server said: {way.reply}</> : 'The invitation is on its way.')}
      </span>
      <Button disabled={busy} onClick={() => act(() => invite(person.email), `An invitation is on its way to ${person.email}.`)}>
        {way?.openUntil ? 'Invite again' : 'Send an invitation'}
      </Button>
    </p>
  )
}
