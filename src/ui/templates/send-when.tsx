'use client'

import { Popover } from 'radix-ui'
import { useState } from 'react'
import { WordsField } from '../words/words-field'

/** A workflow that sends a template, made by saying when: its mail takes the template. */
export function SendWhen({ template, table }: { template: string; table: string }) {
  const [isOpen, setOpen] = useState(false)
  return (
    <Popover.Root open={isOpen} onOpenChange={setOpen}>
      <Popover.Trigger className="text-spruce text-sm hover:underline">Send this when …</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          collisionPadding={12}
          className="z-40 max-h-[min(680px,80vh)] w-[min(640px,94vw)] overflow-y-auto rounded-md border border-rule bg-sheet px-4 py-3 shadow-lg"
        >
          <WordsField place={`template ${template}`} table={table} template={template} autoFocus label="Send this when …" onLeave={() => setOpen(false)} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
