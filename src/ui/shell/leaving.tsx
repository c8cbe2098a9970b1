'use client'

import { useRouter } from 'next/navigation'
import { useEffect, useId, useState } from 'react'
import { Confirm } from '../parts/confirm'

/** Something on the page that was typed and is not kept yet. */
interface Unsaved {
  /** What it is, such as `the template`. */
  readonly what: string
  /** Keeps it, where that can be done without asking; whether it was kept. */
  readonly save?: () => Promise<boolean>
}

const unsaved = new Map<string, Unsaved>()
let ask: ((what: string) => Promise<boolean>) | null = null

/** Says that something on the page is not kept yet, so that it is not left without asking. */
export function useUnsaved(isUnsaved: boolean, what: string, save?: () => Promise<boolean>): void {
  const id = useId()
  useEffect(() => {
    if (isUnsaved) unsaved.set(id, { what, save })
    else unsaved.delete(id)
  })
  useEffect(() => () => void unsaved.delete(id), [id])
}

/** Whether the page may be left: at once where all is kept or can be, else when its reader says so. */
export async function mayLeave(): Promise<boolean> {
  for (const [id, { save }] of [...unsaved]) if (save && (await save().catch(() => false))) unsaved.delete(id)
  const [first] = unsaved.values()
  if (!first) return true
  const isLeft = (await ask?.(first.what)) ?? window.confirm(`Leave without keeping ${first.what}?`)
  if (isLeft) unsaved.clear()
  return isLeft
}

/** Goes to another page of the application, once the one that is open may be left. */
export function useGo(): (href: string) => Promise<void> {
  const router = useRouter()
  return async (href) => {
    if (await mayLeave()) router.push(href)
  }
}

type Traversal = Event & { readonly navigationType: string; readonly destination: { readonly key: string } }

/** Holds up whatever leaves the page while something on it is not kept: links, going back, closing the window. */
export function LeaveGuard() {
  const router = useRouter()
  const [asked, setAsked] = useState<{ what: string; answer: (isLeft: boolean) => void } | null>(null)
  useEffect(() => {
    ask = (what) => new Promise((answer) => setAsked({ what, answer }))
    const onClick = (event: MouseEvent) => {
      const href = leadsTo(event)
      if (href === null || unsaved.size === 0) return
      event.preventDefault()
      event.stopPropagation()
      void mayLeave().then((isLeft) => isLeft && router.push(href))
    }
    const onUnload = (event: BeforeUnloadEvent) => {
      if (unsaved.size > 0) event.preventDefault()
    }
    const { navigation } = window
    let isAllowed = false
    const onTraverse = (event: Event) => {
      const { navigationType, cancelable, destination } = event as Traversal
      if (navigationType !== 'traverse' || !cancelable || unsaved.size === 0 || isAllowed) return
      event.preventDefault()
      void mayLeave().then((isLeft) => {
        isAllowed = isLeft
        if (isLeft) navigation?.traverseTo(destination.key)
      })
    }
    document.addEventListener('click', onClick, true)
    window.addEventListener('beforeunload', onUnload)
    navigation?.addEventListener('navigate', onTraverse)
    return () => {
      ask = null
      document.removeEventListener('click', onClick, true)
      window.removeEventListener('beforeunload', onUnload)
      navigation?.removeEventListener('navigate', onTraverse)
    }
  }, [router])
  const end = (isLeft: boolean) => {
    asked?.answer(isLeft)
    setAsked(null)
  }
  return (
    <Confirm
      open={asked !== null}
      setOpen={(open) => !open && end(false)}
      title="Leave without keeping it?"
      deed="Leave it"
      leave="Stay here"
      kind="alarm"
      onDeed={() => end(true)}
    >
      What you typed in {asked?.what} is not kept yet. Left now, it is gone.
    </Confirm>
  )
}

/** Where a plain click on a link leads within the application; null for any other click. */
function leadsTo(event: MouseEvent): string | null {
  if (event.button !== 0 || event.ctrlKey || event.metaKey || event.shiftKey || event.altKey || !(event.target instanceof Element)) return null
  const link = event.target.closest<HTMLAnchorElement>('a[href]')
  if (!link || link.target === '_blank' || link.hasAttribute('download') || link.origin !== window.location.origin) return null
  if (link.pathname.startsWith('/api/') || (link.pathname === window.location.pathname && link.search === window.location.search)) return null
  return link.pathname + link.search + link.hash
}
