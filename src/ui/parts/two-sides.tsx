import { Dialog } from 'radix-ui'
import type { ReactNode } from 'react'

interface Props {
  readonly onClose: () => void
  /** Puts the focus where it belongs when it opens; else it is on the first that takes it. */
  readonly onFocus?: () => void
  readonly children: ReactNode
  readonly className?: string
}

/** A sheet over the page with two sides: what is said at the left, what comes of it at the right. It holds a `Dialog.Title`. */
export function TwoSides({ onClose, onFocus, children, className = '' }: Props) {
  const focus = (event: Event) => {
    event.preventDefault()
    onFocus?.()
  }
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/20" />
        <Dialog.Content
          aria-describedby={undefined}
          onOpenAutoFocus={onFocus && focus}
          className={`fixed top-[8vh] left-1/2 z-50 grid max-h-[84vh] w-[min(1040px,94vw)] -translate-x-1/2 grid-cols-[minmax(0,5fr)_minmax(0,6fr)] overflow-hidden rounded-md border border-rule bg-sheet shadow-xl ${className}`}
        >
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
