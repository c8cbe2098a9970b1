'use client'

import { useState } from 'react'
import { WordsField } from '../words/words-field'
import { WordsPopover } from '../words/words-popover'

/** A workflow that sends a template, made by saying when: its mail takes the template. */
export function SendWhen({ template, table }: { template: string; table: string }) {
  const [isOpen, setOpen] = useState(false)
  return (
    <WordsPopover words="Send this when …" open={isOpen} setOpen={setOpen}>
      <WordsField place={`template ${template}`} table={table} template={template} autoFocus label="Send this when …" onLeave={() => setOpen(false)} />
    </WordsPopover>
  )
}
