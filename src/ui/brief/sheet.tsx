import type { ReactNode } from 'react'
import type { Line } from '@/core/words/brief'

/** The ruled sheet that the lines of a brief stand on. */
export function BriefSheet({ label, children }: { label: string; children: ReactNode }) {
  return (
    <ol aria-label={label} className="border-rule border-b">
      {children}
    </ol>
  )
}

/** Name of a line for those who hear it: "line 2.1, condition, status is Cancelled". */
export function spokenLine(line: Line): string {
  const kind = line.kind === 'clause' ? 'condition' : line.kind === 'action' ? line.role : line.kind
  return `line ${line.number}, ${kind}, ${line.words}${line.muted ? ', muted' : ''}`
}

/** Number, role word and statement of a line. */
export function Statement({ line, children }: { line: Line; children?: ReactNode }) {
  return (
    <div className="grid grid-cols-[2.25rem_minmax(0,1fr)] items-baseline md:grid-cols-[3rem_5.25rem_minmax(0,1fr)]">
      <span className="font-mono text-muted text-xs">{line.number}</span>
      <span className={`role-word text-spruce ${line.muted ? 'opacity-60' : ''}`}>{line.role}</span>
      <div className="max-md:col-start-2" style={{ paddingLeft: `${line.depth * 22}px` }}>
        <p className={`font-serif text-lg leading-snug ${line.muted ? 'text-muted line-through' : ''}`}>{line.words}</p>
        {line.detail && <p className="truncate text-muted text-sm">{line.detail}</p>}
        {children}
      </div>
    </div>
  )
}

/** A line that is read, not edited. */
export function StaticLine({ line, children }: { line: Line; children?: ReactNode }) {
  return (
    <li className="border-rule border-t px-2 py-2.5">
      <Statement line={line}>{children}</Statement>
    </li>
  )
}
