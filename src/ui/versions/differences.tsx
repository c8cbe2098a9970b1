import type { Difference } from '@/core/words/diff'

const SIGNS = { added: '+', removed: '−', changed: '~' } as const
const TONES = { added: 'text-calm', removed: 'text-alarm', changed: 'text-rope' } as const

/** What changed between two versions: lines that came, went, or say the same with other contents. */
export function Differences({ differences }: { differences: readonly Difference[] }) {
  if (differences.length === 0) return <p className="font-serif text-lg text-muted">Nothing differs.</p>
  return (
    <ul aria-label="Differences" className="border-rule border-b">
      {differences.map((d, i) => (
        <li key={i} className="grid grid-cols-[1.2rem_5rem_minmax(0,1fr)] items-baseline border-rule border-t py-1.5">
          <span aria-hidden className={`font-mono ${TONES[d.what]}`}>
            {SIGNS[d.what]}
          </span>
          <span className="role-word text-spruce">{d.role}</span>
          <span>
            <span className="sr-only">{d.what}: </span>
            <span className={`font-serif text-lg leading-snug ${d.what === 'removed' ? 'text-muted line-through' : ''}`}>{d.words}</span>
            {d.parts.length > 0 && <span className="block text-rope text-sm">other {d.parts.join(', ')}</span>}
          </span>
        </li>
      ))}
    </ul>
  )
}
