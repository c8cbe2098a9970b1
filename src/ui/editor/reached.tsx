import type { Line } from '@/core/words/brief'
import { counted } from '../today/summary'
import type { ShownRehearsal } from './rehearsing'

/** Whom the chosen line would have written to, and whom not and why. */
export function Reached({ line, rehearsal }: { line: Line; rehearsal: ShownRehearsal | null }) {
  const reach = rehearsal?.reach[line.path]
  if (!reach) return null
  const { addresses, reached, missed } = reach
  return (
    <div className="mb-4 grid grid-cols-2 gap-5 text-sm">
      <section aria-label="Reached">
        <h3 className="text-muted text-xs">Reached {counted(addresses, 'address', 'addresses')}</h3>
        <ul>
          {reached.map((r) => (
            <li key={r.address} className="flex justify-between gap-2 border-rule border-t py-0.5">
              <span className="truncate" title={r.address}>
                {r.address}
              </span>
              <span className="figures text-muted">{r.messages}</span>
            </li>
          ))}
        </ul>
        {addresses > reached.length && <p className="text-muted text-xs">and {addresses - reached.length} more</p>}
      </section>
      <section aria-label="Not reached">
        <h3 className="text-muted text-xs">Not reached, and why</h3>
        {missed.length === 0 && <p className="border-rule border-t py-0.5 text-muted">nobody was left out</p>}
        <ul>
          {missed.map((m) => (
            <li key={m.message} className="border-rule border-t py-0.5">
              <span className="figures">{m.count}</span> × {m.message}
            </li>
          ))}
        </ul>
      </section>
    </div>
  )
}
