'use client'

import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Section } from '../settings/section'
import { WHAT_IS_WRONG } from './what-is-wrong'

/** Whether one is told by mail when something is wrong, and asking for it or against it. */
export function Told({ told }: { told: boolean }) {
  const { busy, act } = useDeed()
  const put = (next: boolean) =>
    act(() => call('PUT', '/api/v1/account/told', { told: next }), next ? 'You are told from now on.' : 'You are told no more. Today goes on saying what is wrong.')
  return (
    <Section title="When something is wrong" note={`${WHAT_IS_WRONG}: what is new, in one mail an hour at most.`}>
      <p className="flex items-baseline gap-4">
        <span>{told ? 'You are told by mail.' : 'You are not told; it stands on Today alone.'}</span>
        <Button disabled={busy} onClick={() => put(!told)}>
          {told ? 'Tell me no more' : 'Tell me by mail'}
        </Button>
      </p>
    </Section>
  )
}
