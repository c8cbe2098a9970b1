import { recordPath } from '@/core/values/tables'
import type { NoticeRow } from '@/store/notice-log'
import Link from '../parts/link'
import { StateMark } from '../parts/state-mark'
import { ClockTime, Time } from '../parts/time'

/** What a notice is called: its title, or its first line. */
export const nameOf = ({ title, body }: Pick<NoticeRow, 'title' | 'body'>): string => title || (body.trim().split('\n')[0] ?? '')

/** Where a notice goes, in words: its channel, then its people. */
export const goalsOf = ({ channel, people }: Pick<NoticeRow, 'channel' | 'people'>): string[] => [...(channel ? [`the channel ${channel}`] : []), ...people.map((p) => p.name)]

/** The state of a notice; one to people alone is shown rather than sent. */
export function NoticeMark({ notice: { state, channel } }: { notice: Pick<NoticeRow, 'state' | 'channel'> }) {
  return <StateMark state={state}>{state === 'sent' && channel === null ? 'Shown' : undefined}</StateMark>
}

/** What a notice is about, as a link to its record; nothing where it is about none. */
export function AboutLink({ notice: { table, record } }: { notice: Pick<NoticeRow, 'table' | 'record'> }) {
  if (table === null || record === null) return null
  return (
    <Link href={recordPath(table, record)} className="text-sm">
      Open the record
    </Link>
  )
}

/** How it goes with giving a notice to its channel: what the channel said, when it is given next, or until when it is held. */
export function HowItGoes({ notice: n, locale, zone }: { notice: NoticeRow; locale: string; zone: string }) {
  if (n.state === 'held' && n.held_until)
    return (
      <>
        held through quiet hours, until <ClockTime at={n.held_until} locale={locale} zone={zone} />
      </>
    )
  if (n.channel === null || n.state === 'sent' || !n.last_reply) return null
  return (
    <>
      “{n.last_reply}”
      {n.state === 'queued' && (
        <>
          , given again <Time at={n.next_at} locale={locale} zone={zone} />
        </>
      )}
    </>
  )
}
