import type { ReactNode } from 'react'

/** A control under its label, with a note below where there is one. */
export function Labelled({ label, note, fault, children, className = '' }: { label: string; note?: ReactNode; fault?: string; children: ReactNode; className?: string }) {
  return (
    <div className={`min-w-0 ${className}`}>
      <div className="text-muted text-xs">{label}</div>
      {children}
      {fault ? (
        <p role="alert" className="mt-1 text-alarm text-xs">
          {fault}
        </p>
      ) : (
        note && <p className="mt-1 text-muted text-xs">{note}</p>
      )}
    </div>
  )
}
