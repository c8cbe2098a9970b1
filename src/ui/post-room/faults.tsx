'use client'

import { useRouter } from 'next/navigation'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'
import { call } from '../api'
import { Button } from '../parts/button'

/** What the stand-in does wrong on purpose, and the switches for it. */
export function Faults({ faults, canSwitch }: { faults: Record<string, unknown>; canSwitch: boolean }) {
  const router = useRouter()
  const refuse = Object.entries((faults.refuse ?? {}) as Record<string, number>)
  const put = async (next: Record<string, unknown>) => {
    try {
      await call('PUT', '/api/post-room/faults', next)
      router.refresh()
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  const { refuse: _refuse, ...withoutRefusals } = faults
  return (
    <section className="mt-8">
      <h2 className="role-word mb-1 text-muted">Faults on purpose</h2>
      {refuse.map(([address, code]) => (
        <p key={address} className="truncate border-rule border-t py-1 text-sm" title={address}>
          <b className="font-semibold text-rope">{code}</b> for {address === '*' ? 'everybody' : address}
        </p>
      ))}
      {faults.down === true && (
        <p className="border-rule border-t py-1 text-sm">
          <b className="font-semibold text-alarm">Closed</b>: it turns every connection away
        </p>
      )}
      {refuse.length === 0 && !faults.down && <p className="border-rule border-t py-1 text-muted text-sm">None: it accepts everything.</p>}
      {canSwitch && (
        <div className="mt-1 flex flex-wrap gap-x-4 gap-y-1">
          {refuse.length > 0 && <Button onClick={() => put(withoutRefusals)}>Stop refusing</Button>}
          <Button onClick={() => put({ ...faults, down: !faults.down })}>{faults.down ? 'Open it again' : 'Close it'}</Button>
        </div>
      )}
    </section>
  )
}
