'use client'

import { AlertDialog } from 'radix-ui'
import { type ReactNode, useRef } from 'react'
import { Button } from './button'

interface Props {
  readonly open: boolean
  readonly setOpen: (open: boolean) => void
  readonly title: string
  /** What will happen, in full sentences. */
  readonly children: ReactNode
  readonly deed: string
  readonly leave: string
  readonly kind: 'main' | 'alarm'
  readonly onDeed: () => void
  /** What has to be said or ticked before, below the sentences. */
  readonly before?: ReactNode
  /** Whether it holds more than a few sentences. */
  readonly isWide?: boolean
  /** Whether the deed has to wait for that. */
  readonly waits?: boolean
}

/** Asks before something that cannot be taken back. */
export function Confirm({ open, setOpen, title, children, deed, leave, kind, onDeed, before, isWide = false, waits = false }: Props) {
  const answer = useRef<HTMLButtonElement>(null)
  return (
    <AlertDialog.Root open={open} onOpenChange={setOpen}>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 z-40 bg-black/20" />
        <AlertDialog.Content
          onOpenAutoFocus={(event) => {
            // the answer is Enter, where nothing is destroyed by it
            if (kind === 'alarm' || waits) return
            event.preventDefault()
            answer.current?.focus()
          }}
          className={`fixed left-1/2 z-50 max-h-[84vh] -translate-x-1/2 overflow-y-auto rounded-md border border-rule bg-sheet px-6 py-5 shadow-xl ${isWide ? 'top-[8vh] w-[min(640px,94vw)]' : 'top-[24vh] w-[min(480px,92vw)]'}`}
        >
          <AlertDialog.Title className="font-serif text-xl">{title}</AlertDialog.Title>
          <AlertDialog.Description className="mt-1 mb-5 text-muted">{children}</AlertDialog.Description>
          {before}
          <div className="flex items-center justify-end gap-5">
            <AlertDialog.Cancel asChild>
              <Button>{leave}</Button>
            </AlertDialog.Cancel>
            <AlertDialog.Action asChild>
              <Button ref={answer} kind={kind} onClick={onDeed} disabled={waits} className="font-semibold">
                {deed}
              </Button>
            </AlertDialog.Action>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  )
}
