'use client'

import { type ReactNode, useState } from 'react'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'

/** A part of the settings under its heading, with what it is for. */
export function Section({ title, note, id, children }: { title: string; note: string; id?: string; children: ReactNode }) {
  return (
    <section id={id} aria-label={title} className="mt-8 max-w-[760px] scroll-mt-16">
      <h2 className="font-serif text-xl leading-snug">{title}</h2>
      <p className="mb-3 max-w-[64ch] text-muted text-sm">{note}</p>
      {children}
    </section>
  )
}

/** One line of a list: what it is, and what can be done with it at the right. */
export function Row({ children, actions }: { children: ReactNode; actions?: ReactNode }) {
  return (
    <li className="flex items-baseline gap-4 border-rule border-t py-1.5">
      <div className="min-w-0 flex-1">{children}</div>
      {actions}
    </li>
  )
}

/** One line of what is changed where it stands, by a form in its place, or removed by its address. */
export function ChangeableRow({ path, gone, form, children }: { path: string; gone: string; form: (onDone: () => void) => ReactNode; children: ReactNode }) {
  const [isOpen, setOpen] = useState(false)
  const { busy, act } = useDeed()
  if (isOpen) return <li className="border-rule border-t bg-rope-wash px-3 py-2">{form(() => setOpen(false))}</li>
  return (
    <Row
      actions={
        <>
          <Button onClick={() => setOpen(true)}>Change</Button>
          <Button kind="alarm" disabled={busy} onClick={() => act(() => call('DELETE', path), gone)}>
            Remove
          </Button>
        </>
      }
    >
      {children}
    </Row>
  )
}
