'use client'

import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'

/** Says that nobody is told by mail when something is wrong, and lets one be. */
export function NobodyTold() {
  const { busy, act } = useDeed()
  return (
    <p className="-mt-4 mb-8 flex flex-wrap items-baseline gap-x-4 gap-y-1 text-muted">
      <span>Nobody is told by mail when something fails: it stands here alone.</span>
      <Button disabled={busy} onClick={() => act(() => call('PUT', '/api/v1/account/told', { told: true }), 'You are told from now on. Your account is where you ask otherwise.')}>
        Tell me
      </Button>
    </p>
  )
}
