'use client'

import type { NoticeRow } from '@/store/notice-log'
import { useAddress } from '../parts/address'
import { AnyChoice, named } from '../parts/any-choice'
import type { Option } from '../parts/choice'
import Link from '../parts/link'
import { Empty } from '../parts/page'
import { Time } from '../parts/time'
import { ChannelDeeds, ReadButton } from './deeds'
import { AboutLink, HowItGoes, NoticeMark, nameOf } from './words'

const STATES = named(['queued', 'held', 'sent', 'failed', 'cancelled'])
const WHOSE: readonly Option[] = [
  { value: 'mine', label: 'for me' },
  { value: 'unread', label: 'for me, not read' },
]

interface Props {
  readonly notices: readonly NoticeRow[]
  readonly next: number | null
  readonly workflows: readonly string[]
  readonly asked: { readonly text?: string; readonly state?: string; readonly workflow?: string; readonly mine?: string; readonly unread?: string }
  /** Whether whoever looks sees the notices of all, and may do something about them. */
  readonly seesAll: boolean
  readonly locale: string
  readonly zone: string
}

/** Notices to channels and to people, searched and filtered; what failed is given again, what waits is called off. */
export function NoticeLog({ notices, next, workflows, asked, seesAll, locale, zone }: Props) {
  const { text, setText, go, older } = useAddress('/notices', asked)
  const whose = asked.unread ? 'unread' : asked.mine ? 'mine' : ''
  return (
    <>
      <div className="mt-3 flex flex-wrap items-end gap-x-6 gap-y-2">
        <input aria-label="Search" placeholder="Search by title, text or channel" className="blank-line w-72" value={text} onChange={(e) => setText(e.target.value)} />
        {seesAll && (
          <>
            <div className="w-40">
              <AnyChoice label="State" any="in any state" options={STATES} value={asked.state} onChange={(state) => go({ state })} />
            </div>
            <div className="w-40">
              <AnyChoice
                label="Whose"
                any="for anybody"
                options={WHOSE}
                value={whose}
                onChange={(v) => go({ mine: v === 'mine' ? 'true' : '', unread: v === 'unread' ? 'true' : '' })}
              />
            </div>
            <div className="w-52">
              <AnyChoice label="Workflow" any="of any workflow" options={named(workflows)} value={asked.workflow} onChange={(workflow) => go({ workflow })} />
            </div>
          </>
        )}
      </div>
      {notices.length === 0 && <Empty>{seesAll ? 'No notice fits. Search for less, or look in any state and workflow.' : 'No notice for you fits.'}</Empty>}
      {notices.length > 0 && (
        <ul aria-label="Notices" className="mt-3 max-w-[1100px] border-rule border-b">
          {notices.map((n) => (
            <li key={n.id} className="grid grid-cols-[96px_minmax(0,1fr)_auto] items-baseline gap-x-4 border-rule border-t py-2 max-sm:grid-cols-1">
              <NoticeMark notice={n} />
              <div className="min-w-0">
                <h2 className="truncate font-serif text-lg leading-snug">
                  <Link href={`/runs/${n.run}`} className="text-ink">
                    {nameOf(n)}
                  </Link>
                </h2>
                {n.title && <p className="line-clamp-2 max-w-[90ch] break-words">{n.body}</p>}
                <p className="text-muted text-sm">
                  {[...(n.channel ? [`The channel ${n.channel}`] : []), ...n.people.map((p) => `${p.name}${p.read ? ' (read)' : ''}`)].join(', ')}; {n.workflow},{' '}
                  <Time at={n.created_at} locale={locale} zone={zone} />
                </p>
                <p className={`text-sm ${n.state === 'failed' ? 'text-alarm' : 'text-rope'}`}>
                  <HowItGoes notice={n} locale={locale} zone={zone} />
                </p>
              </div>
              <span className="flex items-baseline gap-5">
                <AboutLink notice={n} />
                {n.unread && <ReadButton ids={[n.id]}>Read</ReadButton>}
                {seesAll && <ChannelDeeds notice={n} />}
              </span>
            </li>
          ))}
        </ul>
      )}
      {next !== null && (
        <p className="py-3">
          <Link href={older(next)}>Older notices</Link>
        </p>
      )}
    </>
  )
}
