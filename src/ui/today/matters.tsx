import type { ReactNode } from 'react'
import type { AttachedNews } from '@/store/attach/follow'
import type { BrokenRow } from '@/store/broken'
import type { RefusedFile } from '@/store/bulk/imports'
import type { DeafChannel, DeafHook } from '@/store/notice-log'
import type { FailedRow, WaitingRow } from '@/store/today'
import Link from '../parts/link'
import { Time } from '../parts/time'
import { counted } from './summary'

interface Props {
  /** Live workflows that cannot do what they say. */
  readonly broken: readonly BrokenRow[]
  readonly refused: readonly RefusedFile[]
  /** What the owners of attached tables did to them. */
  readonly news: readonly AttachedNews[]
  readonly failed: readonly FailedRow[]
  readonly waiting: readonly WaitingRow[]
  /** Channels that do not take notices, and programs that do not take changes. */
  readonly deafChannels: readonly DeafChannel[]
  readonly deafHooks: readonly DeafHook[]
  readonly paused: readonly { name: string; since: Date | null; passed: number }[]
  readonly notLive: readonly { name: string; state: string }[]
  readonly locale: string
  readonly zone: string
}

/** What wants an administrator's eye: failed, waiting, paused, not live; each with where to go. */
export function Matters({ broken, refused, news, failed, waiting, deafChannels, deafHooks, paused, notLive, locale, zone }: Props) {
  const time = (at: Date) => <Time at={at} locale={locale} zone={zone} />
  return (
    <section aria-label="What wants your eye" className="mb-8 border-rule border-b">
      {broken.map((b) => (
        <Matter
          key={b.id}
          word="broken"
          wraps
          tone="text-alarm"
          title={`“${b.name}” cannot do what it says`}
          href={`/workflows/${encodeURIComponent(b.name)}`}
          link="Open the brief"
        >
          {b.problems[0]}
          {b.problems.length > 1 && ` And ${counted(b.problems.length - 1, 'problem')} more.`} {time(b.since)}
        </Matter>
      ))}
      {failed.map((f) => (
        <Matter
          key={`${f.run} ${f.message} ${f.notice}`}
          word="failed"
          tone="text-alarm"
          title={f.workflow === null ? `Mail of several: “${f.title}”` : `${f.workflow}, for “${f.title}”`}
          href={f.run === null ? '/messages?state=failed' : `/runs/${f.run}`}
          link={f.run === null ? 'Open the messages' : 'Open the run'}
        >
          {f.reason}; {time(f.at)}
        </Matter>
      ))}
      {refused.map((f) => (
        <Matter
          key={`${f.import} ${f.file} ${f.at.toISOString()}`}
          word="refused"
          tone="text-alarm"
          title={`The file ${f.file} of the import ${f.import}`}
          href={`/records/${f.table}/import`}
          link="Import it"
        >
          {f.problem.split('\n').filter(Boolean).slice(0, 2).join(' ')}; {time(f.at)}
        </Matter>
      ))}
      {news.map((n) => (
        <Matter
          key={`${n.table} ${n.at.toISOString()} ${n.text}`}
          word="altered"
          wraps
          tone="text-rope"
          title={`The attached table ${n.label}`}
          href={`/records/${n.table}/fields`}
          link="Open its fields"
        >
          {n.text} {time(n.at)}
        </Matter>
      ))}
      {waiting.map((w) => (
        <Matter
          key={w.address}
          word="waiting"
          tone="text-rope"
          title={`${counted(w.messages, 'message')} to ${w.address}`}
          href={w.run === null ? '/runs' : `/runs/${w.run}`}
          link="Open the run"
        >
          The mail server said “{w.reply}”; tried {counted(w.attempts, 'time')}, next {time(w.next)}
        </Matter>
      ))}
      {deafChannels.map((c) => (
        <Matter
          key={`channel ${c.channel}`}
          word="waiting"
          tone="text-rope"
          title={`${counted(c.notices, 'notice')} to the channel ${c.channel}`}
          href={`/notices?state=queued&text=${encodeURIComponent(c.channel)}`}
          link="See them"
        >
          It said “{c.reply}”; tried {counted(c.attempts, 'time')}, next {time(c.next)}
        </Matter>
      ))}
      {deafHooks.map((h) => (
        <Matter key={`hook ${h.name}`} word="waiting" tone="text-rope" title={`Changes that the program ${h.name} is to be told`} href="/settings" link="Open Settings">
          It said “{h.reply}”; told {counted(h.attempts, 'time')}, next {time(h.next)}
        </Matter>
      ))}
      {notLive.map((w) => (
        <Matter
          key={w.name}
          word="not live"
          tone="text-slate"
          title={w.state === 'draft' ? `${w.name} has never been live` : `${w.name} has edits that are not live`}
          href={`/workflows/${encodeURIComponent(w.name)}`}
          link="Open the brief"
        />
      ))}
      {paused.map((w) => (
        <Matter
          key={w.name}
          word="paused"
          tone="text-slate"
          title={`${w.name}: ${counted(w.passed, 'change')} passed by`}
          href={`/workflows/${encodeURIComponent(w.name)}`}
          link="Open the brief"
        >
          {w.since && <>Paused {time(w.since)}</>}
        </Matter>
      ))}
      {broken.length + refused.length + news.length + failed.length + waiting.length + deafChannels.length + deafHooks.length + notLive.length + paused.length === 0 && (
        <p className="border-rule border-t py-3 font-serif text-lg text-muted">Nothing wants your eye.</p>
      )}
    </section>
  )
}

interface MatterProps {
  readonly word: string
  readonly tone: string
  readonly title: string
  readonly href: string
  readonly link: string
  /** Whether what is said of it is shown whole. */
  readonly wraps?: boolean
  readonly children?: ReactNode
}

function Matter({ word, tone, title, href, link, wraps = false, children }: MatterProps) {
  return (
    <article className="grid grid-cols-[92px_minmax(0,1fr)_auto] items-baseline gap-x-3 max-sm:grid-cols-1 border-rule border-t py-2.5">
      <span className={`role-word ${tone}`}>{word}</span>
      <h2 className="truncate font-serif text-lg leading-snug">{title}</h2>
      <Link href={href} className="font-semibold text-sm">
        {link}
      </Link>
      {children && <p className={`text-muted text-sm sm:col-span-2 sm:col-start-2 ${wraps ? 'max-w-[90ch]' : 'truncate'}`}>{children}</p>}
    </article>
  )
}
