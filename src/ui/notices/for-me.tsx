import type { NoticeRow } from '@/store/notice-log'
import Link from '../parts/link'
import { Time } from '../parts/time'
import { ReadButton } from './deeds'
import { AboutLink, nameOf } from './words'

/** Notices for whoever looks that they have not read, the newest first; nothing where there is none. */
export function NoticesForMe({ notices, count, locale, zone }: { notices: readonly NoticeRow[]; count: number; locale: string; zone: string }) {
  if (notices.length === 0) return null
  return (
    <section aria-label="Notices for you" className="mb-6 max-w-[900px] bg-rope-wash px-4 pt-2 pb-1">
      <div className="flex items-baseline gap-5">
        <h2 className="role-word text-rope">Notices for you</h2>
        <span className="ml-auto flex items-baseline gap-5">
          {count > notices.length && (
            <Link href="/notices?mine=true" className="text-sm">
              All {count > 99 ? 'of them' : count}
            </Link>
          )}
          {count > 1 && <ReadButton>All read</ReadButton>}
        </span>
      </div>
      {notices.map((n) => (
        <article key={n.id} className="border-rule border-t py-2 first-of-type:border-t-0">
          <div className="flex items-baseline gap-4">
            <h3 className="min-w-0 truncate font-serif text-lg leading-snug">{nameOf(n)}</h3>
            <span className="whitespace-nowrap text-muted text-sm max-sm:hidden">
              {n.workflow}, <Time at={n.created_at} locale={locale} zone={zone} />
            </span>
            <span className="ml-auto flex shrink-0 items-baseline gap-5">
              <AboutLink notice={n} />
              <ReadButton ids={[n.id]}>Read</ReadButton>
            </span>
          </div>
          {n.title && <p className="line-clamp-2 max-w-[90ch] break-words">{n.body}</p>}
        </article>
      ))}
    </section>
  )
}
