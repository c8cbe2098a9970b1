'use client'

import { useRouter } from 'next/navigation'
import { type ReactNode, useState } from 'react'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'

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

/** Does a deed and shows the page anew: says what was done, or why it was refused. Answers whether it was done. */
export function useDeed(): { busy: boolean; act: (deed: () => Promise<unknown>, done: string) => Promise<boolean> } {
  const router = useRouter()
  const [busy, setBusy] = useState(false)
  const act = async (deed: () => Promise<unknown>, done: string) => {
    setBusy(true)
    try {
      await deed()
      toast.success(done)
      router.refresh()
      return true
    } catch (error) {
      toast.error(faultOf(error))
      return false
    } finally {
      setBusy(false)
    }
  }
  return { busy, act }
}
