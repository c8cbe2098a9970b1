import type { OccasionKind } from '@/core/cues/occasion'
import type { MessageDetail } from '@/store/messages'
import { StateMark } from '../parts/state-mark'
import { ClockTime, Time } from '../parts/time'
import { counted, span } from '../today/summary'
import { RetryMessage } from './retry'

const STATES: Record<string, string> = { open: 'waiting', sent: 'sent', failed: 'failed', gathered: 'in a digest' }

const AFTER: Readonly<Record<OccasionKind, string>> = {
  change: 'after the save',
  stay: 'after the wait was over',
  tick: 'after its time had come',
  press: 'after it was run',
  crossing: 'after the crossing',
}

/** How the reply of a recipient begins to whom the mail came back. */
const CAME_BACK = 'Came back: '

const HELD_WORDS = { quiet: 'through quiet hours', digest: 'for a digest', cap: 'past the most of a day' }

/** A message that came of a run: who gets it and how delivery went, then what it says. */
export function RunMessage({ message, setOffBy, locale, zone }: { message: MessageDetail; setOffBy: OccasionKind; locale: string; zone: string }) {
  const took = message.finished_at && message.state === 'sent' ? message.finished_at.getTime() - message.changed_at.getTime() : null
  return (
    <article className="mb-8">
      <div className="flex items-baseline gap-3">
        <StateMark state={message.state} />
        <span className="text-muted text-sm">
          {took !== null && `${span(took)} ${AFTER[setOffBy]}`}
          {message.state === 'held' && (
            <>
              {HELD_WORDS[message.held_for ?? 'quiet']}
              {message.held_until && (
                <>
                  , until <ClockTime at={message.held_until} locale={locale} zone={zone} />
                </>
              )}
            </>
          )}
          {message.state === 'gathered' && 'it went in a digest, which is below'}
          {message.state === 'queued' && message.attempt > 0 && (
            <>
              next try <Time at={message.next_at} locale={locale} zone={zone} />
            </>
          )}
        </span>
        {message.state === 'failed' && <RetryMessage id={message.id} />}
      </div>
      <h2 className="mt-1 font-serif text-xl leading-snug">{message.subject}</h2>
      <p className="text-muted text-sm">
        From {message.from.name} {message.reply_to && `, replies to ${message.reply_to.address}`}
      </p>
      <ul className="my-2">
        {message.recipients.map((r) => (
          <li key={r.address} className="grid grid-cols-[2rem_minmax(0,1fr)_auto] gap-2 border-rule border-t py-1 text-sm">
            <span className="text-muted">{r.part.charAt(0).toUpperCase() + r.part.slice(1)}</span>
            <span className="truncate" title={r.address}>
              {r.name && r.name !== r.address ? `${r.name}, ${r.address}` : r.address}
            </span>
            <span className={r.state === 'failed' ? 'text-alarm' : r.state === 'open' ? 'text-rope' : 'text-calm'}>{STATES[r.state]}</span>
            {r.reply && r.state !== 'sent' && <span className="col-span-2 col-start-2 text-muted">{r.reply.startsWith(CAME_BACK) ? r.reply : `The server said “${r.reply}”`}</span>}
          </li>
        ))}
      </ul>
      <pre className="whitespace-pre-wrap break-words border-spruce border-t-2 bg-paper px-4 py-3 font-serif text-base leading-relaxed">{message.body}</pre>
      {message.attachments && <p className="mt-2 text-muted text-sm">With {message.attachments.map((a) => a.name).join(', ')}</p>}
      {message.attempts.length > 0 && (
        <details className="mt-2 text-sm">
          <summary className="text-muted">{counted(message.attempts.length, 'attempt')} to deliver</summary>
          {message.attempts.map((a) => (
            <p key={a.attempt} className="border-rule border-t py-1">
              <b className="font-semibold">{a.attempt}</b> {a.outcome} in {span(a.milliseconds)}, <Time at={a.at} locale={locale} zone={zone} />{' '}
              <span className="text-muted">“{a.reply}”</span>
            </p>
          ))}
        </details>
      )}
      {message.bounces.map((b) => (
        <p key={`${b.address} ${b.action} ${b.status}`} className={`border-rule border-t py-1 text-sm ${b.action === 'failed' ? 'text-alarm' : 'text-rope'}`}>
          {b.action === 'failed' ? `Came back from ${b.address}` : `Delayed on its way to ${b.address}`}, <Time at={b.at} locale={locale} zone={zone} />{' '}
          <span className="text-muted">
            {b.status} “{b.diagnostic}”
          </span>
        </p>
      ))}
    </article>
  )
}
