'use client'

import { useRouter } from 'next/navigation'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'
import { recordPath } from '@/core/values/tables'
import type { StayRow } from '@/store/stays'
import { call } from '../api'
import { Button } from '../parts/button'
import Link from '../parts/link'
import { Time } from '../parts/time'

interface Props {
  readonly stays: readonly StayRow[]
  readonly locale: string
  readonly zone: string
  readonly canCallOff: boolean
  /** Whether the records are named rather than the workflows. */
  readonly byRecord?: boolean
}

/** What waits to have stayed so: since when, until when, and how to call it off. Nothing where nothing waits. */
export function WaitingList({ stays, locale, zone, canCallOff, byRecord = false }: Props) {
  const router = useRouter()
  const callOff = async (ids: readonly number[]) => {
    try {
      await call('DELETE', '/api/v1/stays', { ids })
      toast('Called off. It waits again when it becomes true anew.')
      router.refresh()
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  if (stays.length === 0) return null
  return (
    <section aria-label="Waits to have stayed so" className="mt-6">
      <h2 className="role-word text-spruce">Waits</h2>
      <ul className="border-rule border-b">
        {stays.map((stay) => (
          <li key={stay.id} className="grid max-w-4xl grid-cols-[minmax(0,1fr)_minmax(0,2fr)_auto] items-baseline gap-x-5 border-rule border-t py-1.5">
            {byRecord ? (
              <Link href={recordPath(stay.table, stay.record)}>{stay.title}</Link>
            ) : (
              <Link href={`/workflows/${encodeURIComponent(stay.workflow)}`}>{stay.workflow}</Link>
            )}
            <span className="text-muted text-sm">
              since <Time at={stay.since} locale={locale} zone={zone} />, fires <Time at={stay.due} locale={locale} zone={zone} /> if it stays so
            </span>
            {canCallOff && (
              <Button aria-label={`Call off the wait of ${byRecord ? stay.title : stay.workflow}`} onClick={() => callOff([stay.id])}>
                Call it off
              </Button>
            )}
          </li>
        ))}
      </ul>
    </section>
  )
}
