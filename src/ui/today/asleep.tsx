'use client'

import { useRouter } from 'next/navigation'
import { riskAwake, type WhyAsleep, whyAsleep } from '@/core/words/asleep'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'

interface Props {
  readonly why: WhyAsleep
  readonly mayWake: boolean
  /** How much mail waits. */
  readonly waiting: number
}

/** That the installation waits to be told to go on, why, and the two ways in which it may. */
export function Asleep({ why, mayWake, waiting }: Props) {
  const { busy, act } = useDeed()
  const router = useRouter()
  const wake = async (what: 'send' | 'call off') => {
    if (await act(() => call('POST', '/api/v1/settings/wake', { waiting: what }), 'Everything goes on from here.')) router.refresh()
  }
  return (
    <section role="alert" aria-label="Asleep" className="mb-4 border-alarm border-l-4 pl-3">
      <p>
        <b className="text-alarm">{whyAsleep(why)}</b> Changes are recorded, but nothing is decided or sent before {mayWake ? 'you say' : 'an administrator says'} that it is to go
        on: {riskAwake(why)}
      </p>
      {mayWake && (
        <p className="mt-2 flex flex-wrap gap-3">
          <Button kind="main" disabled={busy} onClick={() => wake('call off')}>
            {waiting > 0 ? `Go on, and call off the ${waiting.toLocaleString('en-GB')} messages that waited` : 'Go on'}
          </Button>
          {waiting > 0 && (
            <Button disabled={busy} onClick={() => wake('send')}>
              Go on, and send them
            </Button>
          )}
        </p>
      )}
    </section>
  )
}
