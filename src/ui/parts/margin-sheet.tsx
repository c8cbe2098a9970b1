'use client'

import { type ReactNode, useEffect, useRef, useState } from 'react'

/** The margin of a page: beside it where there is room, else a sheet over it that one opens and closes. */
export function MarginSheet({ children }: { children: ReactNode }) {
  const [open, setOpen] = useState(false)
  const sheet = useRef<HTMLElement>(null)
  const opener = useRef<HTMLButtonElement>(null)
  const close = () => {
    setOpen(false)
    opener.current?.focus()
  }
  useEffect(() => {
    if (open) sheet.current?.focus()
  }, [open])
  return (
    <>
      <button
        ref={opener}
        type="button"
        aria-expanded={open}
        onClick={() => setOpen(true)}
        className="fixed right-4 bottom-4 z-30 rounded-md bg-spruce px-4 py-2 font-semibold text-on-spruce text-sm shadow-lg lg:hidden"
      >
        Evidence
      </button>
      <aside
        ref={sheet}
        aria-label="Evidence"
        tabIndex={-1}
        onKeyDown={(event) => {
          if (event.key === 'Escape' && open) close()
        }}
        className={`min-w-0 border-rule bg-sheet px-6 pt-5 pb-16 outline-none lg:border-l max-lg:fixed max-lg:inset-y-0 max-lg:right-0 max-lg:z-40 max-lg:w-[min(444px,94vw)] max-lg:overflow-y-auto max-lg:border-l max-lg:shadow-xl ${open ? '' : 'max-lg:hidden'}`}
      >
        <button type="button" onClick={close} className="mb-3 text-spruce text-sm hover:underline lg:hidden">
          Back to the page
        </button>
        {children}
      </aside>
    </>
  )
}
