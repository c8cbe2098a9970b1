import type { MailState } from '@/store/mail-state'
import type { Reach, Tally } from '@/store/today'

/** A count with its noun: "1 message", "214 messages". */
export function counted(count: number, one: string, many = `${one}s`): string {
  return `${count.toLocaleString('en-GB')} ${count === 1 ? one : many}`
}

/** How many mails and notices: “2 mails and 1 notice”; no word of notices where there are none. */
export function mailAndNotices(mails: number, notices: number): string {
  if (notices === 0) return counted(mails, 'mail')
  return mails === 0 ? counted(notices, 'notice') : `${counted(mails, 'mail')} and ${counted(notices, 'notice')}`
}

/** What is sent and to how many addresses, in words: “12 mails to 3 addresses and 4 notices”; null where that is nothing. */
export function sentWords({ messages, notices }: { readonly messages: number; readonly notices: number }, addresses: number): string | null {
  const mail = messages > 0 ? [`${counted(messages, 'mail')} to ${counted(addresses, 'address', 'addresses')}`] : []
  return [...mail, ...(notices > 0 ? [counted(notices, 'notice')] : [])].join(' and ') || null
}

/** A length of time as one reads it: "38 ms", "0.4 s", "3 min". */
export function span(milliseconds: number): string {
  if (milliseconds < 100) return `${Math.round(milliseconds)} ms`
  return milliseconds < 60_000 ? `${(milliseconds / 1000).toFixed(1)} s` : `${Math.round(milliseconds / 60_000)} min`
}

/** The day in one sentence, the mail server first when it does not answer. */
export function Summary({ title, tally, reach, mail }: { title: string; tally: Tally; reach: Reach; mail: MailState }) {
  const waiting = tally.waiting + tally.notices
  return (
    <header className="mb-5">
      <h1 className="font-serif text-2xl tracking-tight">{title}</h1>
      {mail.ok === false && (
        <p role="alert" className="mt-1 border-alarm border-l-4 pl-3 text-base">
          <b className="text-alarm">The mail server does not answer.</b> {counted(tally.waiting, 'message')} {tally.waiting === 1 ? 'waits' : 'wait'}; they go as soon as it is
          back. It said: {mail.reply}
        </p>
      )}
      <p className="font-serif text-xl leading-snug">
        <b className="font-semibold">{reach.sent.toLocaleString('en-GB')}</b> {reach.sent === 1 ? 'message' : 'messages'} to{' '}
        <b className="font-semibold">{reach.people.toLocaleString('en-GB')}</b> {reach.people === 1 ? 'address' : 'addresses'} since midnight
        {reach.slowest !== null && (
          <>
            ; the slowest took <b className="font-semibold">{span(reach.slowest)}</b>
          </>
        )}
        . {tally.failed > 0 ? <span className="text-alarm">{tally.failed} failed</span> : 'Nothing failed'},{' '}
        {waiting > 0 ? <span className="text-rope">{waiting === 1 ? '1 is waiting' : `${waiting} are waiting`}</span> : 'nothing is waiting'}
        {tally.held > 0 && `, ${tally.held} held by limits`}.
      </p>
    </header>
  )
}
