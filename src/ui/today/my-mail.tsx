import type { ReactNode } from 'react'
import type { MessageRow } from '@/store/messages'
import { Empty, Page } from '../parts/page'
import { StateMark } from '../parts/state-mark'
import { Time } from '../parts/time'

/** Today for a member: notices for them, and the mail that Rappel sent to them. */
export function MyMail({ title, notices, messages, locale, zone }: { title: string; notices: ReactNode; messages: readonly MessageRow[]; locale: string; zone: string }) {
  return (
    <Page>
      <h1 className="font-serif text-2xl tracking-tight">{title}</h1>
      {notices}
      <p className="mb-4 font-serif text-muted text-xl">What was sent to you</p>
      {messages.length === 0 && <Empty>Nothing was sent to you yet.</Empty>}
      {messages.map((m) => (
        <article key={m.id} className="grid max-w-[860px] grid-cols-[minmax(0,1fr)_auto_auto] items-baseline gap-4 border-rule border-t py-2.5">
          <h2 className="truncate font-serif text-lg">{m.subject}</h2>
          <StateMark state={m.state} />
          <span className="text-muted text-sm">
            <Time at={m.created_at} locale={locale} zone={zone} />
          </span>
        </article>
      ))}
    </Page>
  )
}
