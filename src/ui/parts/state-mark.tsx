import type { ReactNode } from 'react'

const MARKS: Record<string, { tone: string; mark: ReactNode; word: string }> = {
  draft: { tone: 'text-slate', mark: <circle cx="5" cy="5" r="3.6" fill="none" stroke="currentColor" strokeWidth="1.6" />, word: 'Draft' },
  live: { tone: 'text-calm', mark: <circle cx="5" cy="5" r="4.4" fill="currentColor" />, word: 'Live' },
  paused: {
    tone: 'text-slate',
    mark: <path d="M2.6 1h1.8v8H2.6zM5.8 1h1.8v8H5.8z" fill="currentColor" />,
    word: 'Paused',
  },
  done: { tone: 'text-calm', mark: <path d="M1.2 5.4 4 8.2 8.8 2" fill="none" stroke="currentColor" strokeWidth="1.7" />, word: 'Done' },
  sent: { tone: 'text-calm', mark: <path d="M1.2 5.4 4 8.2 8.8 2" fill="none" stroke="currentColor" strokeWidth="1.7" />, word: 'Sent' },
  failed: { tone: 'text-alarm', mark: <path d="M1.5 1.5l7 7m0-7-7 7" stroke="currentColor" strokeWidth="1.8" />, word: 'Failed' },
  'mail failed': { tone: 'text-alarm', mark: <path d="M1.5 1.5l7 7m0-7-7 7" stroke="currentColor" strokeWidth="1.8" />, word: 'Mail failed' },
  'mail waiting': { tone: 'text-rope', mark: <path d="M5 1v4l2.6 2" fill="none" stroke="currentColor" strokeWidth="1.6" />, word: 'Mail waits' },
  'mail held': { tone: 'text-slate', mark: <path d="M5 1v4l2.6 2" fill="none" stroke="currentColor" strokeWidth="1.6" />, word: 'Mail held' },
  'notice failed': { tone: 'text-alarm', mark: <path d="M1.5 1.5l7 7m0-7-7 7" stroke="currentColor" strokeWidth="1.8" />, word: 'Notice failed' },
  'notice waiting': { tone: 'text-rope', mark: <path d="M5 1v4l2.6 2" fill="none" stroke="currentColor" strokeWidth="1.6" />, word: 'Notice waits' },
  'notice held': { tone: 'text-slate', mark: <path d="M5 1v4l2.6 2" fill="none" stroke="currentColor" strokeWidth="1.6" />, word: 'Notice held' },
  waiting: { tone: 'text-rope', mark: <path d="M5 1v4l2.6 2" fill="none" stroke="currentColor" strokeWidth="1.6" />, word: 'Waiting' },
  broken: { tone: 'text-alarm', mark: <path d="M5 1v5M5 7.6v1.6" stroke="currentColor" strokeWidth="1.8" />, word: 'Broken' },
  stopped: { tone: 'text-alarm', mark: <path d="M2 2h6v6H2z" fill="currentColor" />, word: 'Stopped' },
  held: { tone: 'text-slate', mark: <path d="M5 1v4l2.6 2" fill="none" stroke="currentColor" strokeWidth="1.6" />, word: 'Held' },
  gathered: { tone: 'text-slate', mark: <path d="M1 3h8M1 7h8" stroke="currentColor" strokeWidth="1.6" />, word: 'In a digest' },
  queued: { tone: 'text-rope', mark: <path d="M5 1v4l2.6 2" fill="none" stroke="currentColor" strokeWidth="1.6" />, word: 'Waiting' },
  sending: { tone: 'text-rope', mark: <path d="M1 5h7M5 2l3 3-3 3" fill="none" stroke="currentColor" strokeWidth="1.6" />, word: 'Sending' },
}

/** A state by word and mark, never by colour alone. */
export function StateMark({ state, children }: { state: string; children?: ReactNode }) {
  const { tone, mark, word } = MARKS[state] ?? { tone: 'text-muted', mark: null, word: state }
  return (
    <span data-state={state} className={`inline-flex items-center gap-1.5 whitespace-nowrap font-semibold text-sm ${tone}`}>
      <svg aria-hidden="true" viewBox="0 0 10 10" className="size-2.5">
        {mark}
      </svg>
      {children ?? word}
    </span>
  )
}
