import type { NoticeRow } from '@/store/notice-log'
import { ChannelDeeds } from '../notices/deeds'
import { HowItGoes, NoticeMark, nameOf } from '../notices/words'
import { counted } from '../today/summary'

/** A notice that came of a run: to which channel and people, how that went, and what it says. */
export function RunNotice({ notice, canAct, locale, zone }: { notice: NoticeRow; canAct: boolean; locale: string; zone: string }) {
  const { channel, people, state, attempt } = notice
  return (
    <article aria-label={`Notice ${nameOf(notice)}`} className="mb-8">
      <div className="flex items-baseline gap-3">
        <NoticeMark notice={notice} />
        <span className="min-w-0 text-muted text-sm">
          <HowItGoes notice={notice} locale={locale} zone={zone} />
          {channel !== null && attempt > 1 && ` ${counted(attempt, 'attempt')}.`}
        </span>
        {canAct && (
          <span className="ml-auto shrink-0">
            <ChannelDeeds notice={notice} />
          </span>
        )}
      </div>
      <h2 className="mt-1 font-serif text-xl leading-snug">{nameOf(notice)}</h2>
      <ul className="my-2 text-sm">
        {channel !== null && <li className="border-rule border-t py-1">The channel {channel}</li>}
        {people.map((p) => (
          <li key={p.name} className="flex justify-between gap-2 border-rule border-t py-1">
            <span className="truncate">{p.name}</span>
            {state !== 'held' && state !== 'cancelled' && <span className={p.read ? 'text-calm' : 'text-rope'}>{p.read ? 'read' : 'not read'}</span>}
          </li>
        ))}
      </ul>
      {notice.title && <pre className="whitespace-pre-wrap break-words border-spruce border-t-2 bg-paper px-4 py-3 font-serif text-base leading-relaxed">{notice.body}</pre>}
    </article>
  )
}
