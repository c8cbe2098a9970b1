'use client'

import { useRouter } from 'next/navigation'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'
import { call } from '../api'
import { Button } from '../parts/button'
import Link from '../parts/link'
import { ClockTime } from '../parts/time'
import { counted, mailAndNotices } from './summary'

/** Mail and notices that limits hold, by workflow. */
export interface ShownHeld {
  readonly workflow: string
  readonly reason: 'quiet' | 'digest' | 'cap'
  readonly until: string | null
  readonly count: number
  readonly notices: number
  readonly paused: boolean
}

const WORDS = { quiet: 'through quiet hours', digest: 'for a digest', cap: 'past the most of a day' }

/** What is held and until when; what a cap stopped, with what to do about it. */
export function HeldToday({ held, canAct, locale, zone }: { held: readonly ShownHeld[]; canAct: boolean; locale: string; zone: string }) {
  const router = useRouter()
  if (held.length === 0) return null
  const end = async (workflow: string, deed: 'send' | 'drop') => {
    try {
      const { count } = await call<{ count: number }>('POST', `/api/v1/workflows/${encodeURIComponent(workflow)}/held`, { deed })
      toast.success(`${counted(count, 'mail')} ${deed === 'send' ? 'on the way' : 'dropped'}.`)
      router.refresh()
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  return (
    <section aria-label="Held" className="mb-6">
      <h2 className="mb-1 font-semibold text-slate text-xs uppercase tracking-wide">Held</h2>
      <ul>
        {held.map((h) => (
          <li key={`${h.workflow} ${h.reason} ${h.until}`} className="flex flex-wrap items-baseline gap-x-4 border-rule border-t py-1">
            <Link href={`/workflows/${encodeURIComponent(h.workflow)}`} className="text-ink">
              {h.workflow}
            </Link>
            <span className="text-muted text-sm">
              {mailAndNotices(h.count, h.notices)} {WORDS[h.reason]}
              {h.paused
                ? ', until it is resumed'
                : h.until && (
                    <>
                      , until <ClockTime at={h.until} locale={locale} zone={zone} />
                    </>
                  )}
            </span>
            <span className="ml-auto flex gap-5">
              <Link href={`/${h.count > 0 ? 'messages' : 'notices'}?state=held&workflow=${encodeURIComponent(h.workflow)}`} className="text-sm">
                See them
              </Link>
              {canAct && h.reason === 'cap' && (
                <>
                  <Button onClick={() => void end(h.workflow, 'send')}>Send them</Button>
                  <Button kind="alarm" onClick={() => void end(h.workflow, 'drop')}>
                    Drop them
                  </Button>
                </>
              )}
            </span>
          </li>
        ))}
      </ul>
    </section>
  )
}
