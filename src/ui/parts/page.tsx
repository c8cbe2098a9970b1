import type { ReactNode } from 'react'
import { MarginSheet } from './margin-sheet'

/** A page with its evidence: the thing on the left, the margin on the right; on a narrow screen the margin is a sheet that one opens. */
export function Page({ children, margin }: { children: ReactNode; margin?: ReactNode }) {
  if (!margin) return <main className="min-w-0 px-7 pt-5 pb-16 max-sm:px-4">{children}</main>
  return (
    <div className="grid min-h-[calc(100vh-46px)] grid-cols-1 lg:grid-cols-[minmax(0,1fr)_minmax(340px,444px)]">
      <main className="min-w-0 px-7 pt-5 pb-24 max-sm:px-4">{children}</main>
      <MarginSheet>{children && margin}</MarginSheet>
    </div>
  )
}

/** A page's title in the reading face, with what belongs beside it. */
export function Title({ children, beside, actions }: { children: ReactNode; beside?: ReactNode; actions?: ReactNode }) {
  return (
    <div className="mb-1 flex flex-wrap items-baseline gap-x-4 gap-y-2">
      <h1 className="font-serif text-2xl leading-tight tracking-tight">{children}</h1>
      {beside}
      {actions && <div className="ml-auto flex items-center gap-4 self-center">{actions}</div>}
    </div>
  )
}

/** The heading of a part of the margin. */
export function MarginTitle({ children, note }: { children: ReactNode; note?: ReactNode }) {
  return (
    <div className="mb-2">
      <h2 className="font-serif text-lg leading-snug">{children}</h2>
      {note && <p className="text-muted text-sm">{note}</p>}
    </div>
  )
}

/** What a place says when there is nothing in it yet: what to do first. */
export function Empty({ children }: { children: ReactNode }) {
  return <p className="max-w-[52ch] py-10 font-serif text-lg text-muted">{children}</p>
}
