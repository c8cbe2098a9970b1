import type { Unread } from '@/core/words/read/reader'

/** What was typed, set again below the field: what was understood underlined in spruce, what was not in rope with what could stand there. */
export function MarkedText({ text, unread }: { text: string; unread: readonly Unread[] }) {
  const parts: { readonly from: number; readonly to: number; readonly mark: Unread | null }[] = []
  let at = 0
  for (const mark of unread) {
    if (mark.from < at || mark.from > text.length) continue
    if (mark.from > at) parts.push({ from: at, to: mark.from, mark: null })
    parts.push({ from: mark.from, to: mark.to, mark })
    at = mark.to
  }
  if (at < text.length) parts.push({ from: at, to: text.length, mark: null })
  return (
    <p className="mt-1 max-h-24 overflow-y-auto whitespace-pre-wrap break-words font-serif text-muted">
      {parts.map(({ from, to, mark }) =>
        mark ? (
          <mark key={from} className="bg-transparent text-rope underline decoration-2 decoration-rope-mark decoration-dotted underline-offset-4" title={mark.message}>
            {text.slice(from, to)}
          </mark>
        ) : (
          <span key={from} className="underline decoration-spruce/50 underline-offset-4">
            {text.slice(from, to)}
          </span>
        ),
      )}
    </p>
  )
}

/** Most marks that are explained at once. */
const MOST_EXPLAINED = 3

/** Why words were not understood, and what could stand there; a click puts it in. */
export function Marks({ text, unread, onTake }: { text: string; unread: readonly Unread[]; onTake: (from: number, to: number, words: string) => void }) {
  return (
    <ul aria-label="Not understood" className="mt-2 text-sm">
      {unread.slice(0, MOST_EXPLAINED).map((mark) => (
        <li key={mark.from} className="border-rope-mark border-l-2 py-0.5 pl-3">
          <b className="font-semibold text-rope">{text.slice(mark.from, mark.to).slice(0, 60)}</b> {mark.message}
          {mark.could.length > 0 && (
            <span className="text-muted">
              {' '}
              There could stand{' '}
              {mark.could.map((words, i) => (
                <span key={words}>
                  {i > 0 && ', '}
                  <button type="button" className="text-spruce underline-offset-4 hover:underline" onClick={() => onTake(mark.from, mark.to, words)}>
                    {words}
                  </button>
                </span>
              ))}
              .
            </span>
          )}
        </li>
      ))}
      {unread.length > MOST_EXPLAINED && <li className="pl-3 text-muted">and {unread.length - MOST_EXPLAINED} more</li>}
    </ul>
  )
}
