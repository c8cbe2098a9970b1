'use client'

import { Popover } from 'radix-ui'
import type { ReactNode } from 'react'

interface Props {
  /** The words that open it. */
  readonly words: string
  readonly open: boolean
  readonly setOpen: (open: boolean) => void
  readonly children: ReactNode
}

/** Words that unfold the field in which a workflow is said, and what stands with it. */
export function WordsPopover({ words, open, setOpen, children }: Props) {
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="text-spruce text-sm hover:underline">{words}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          collisionPadding={12}
          className="z-40 max-h-[min(680px,80vh)] w-[min(640px,94vw)] overflow-y-auto rounded-md border border-rule bg-sheet px-4 py-3 shadow-lg"
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
