import type { Finding } from '@/engine/doctor'

/** What the doctor found: what is wrong first, with what to do; then what is well. */
export function Findings({ findings }: { findings: readonly Finding[] }) {
  const sorted = [...findings].sort((a, b) => Number(a.ok) - Number(b.ok))
  return (
    <ul className="mt-2 space-y-1.5">
      {sorted.map(({ ok, what, todo }) => (
        <li key={what} className={ok ? '' : 'border-alarm border-l-4 pl-3'}>
          {ok ? (
            <>
              <span aria-hidden="true" className="mr-2 text-spruce">
                ✓
              </span>
              {what}
            </>
          ) : (
            <>
              <b className="font-semibold">{what}</b>
              {todo && <span className="block text-muted text-sm">{todo}</span>}
            </>
          )}
        </li>
      ))}
    </ul>
  )
}
