'use client'

import { useState } from 'react'
import { toast } from 'sonner'
import type { EmailAction } from '@/core/document/document'
import { formatOf } from '@/core/message/format'
import { faultOf } from '@/core/must'
import { call } from '../api'
import { Button } from '../parts/button'

interface Props {
  readonly action: EmailAction
  /** The table whose records the text is about. */
  readonly table: string
  /** Names that templates have. */
  readonly taken: readonly string[]
  /** Told the name under which its text is kept. */
  readonly onKept: (name: string, body: string) => void
}

/** Keeps the text of an email as a template, which the email says from then on. */
export function KeepTemplate({ action, table, taken, onKept }: Props) {
  const [name, setName] = useState<string | null>(null)
  if (name === null)
    return (
      <Button className="justify-self-start" onClick={() => setName('')}>
        Keep this text as a template
      </Button>
    )
  const wanted = name.trim()
  const isTaken = taken.some((t) => t.toLowerCase() === wanted.toLowerCase())
  const keep = async () => {
    if (wanted === '' || isTaken) return
    const { subject = '', body = '', format = formatOf(body), priority = 'normal' } = action
    try {
      await call('PUT', `/api/v1/templates/${encodeURIComponent(wanted)}`, { table, subject, body, format, priority, attachments: [] })
      onKept(wanted, body)
      toast(`“${wanted}” is kept as a template.`)
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  return (
    <div className="flex flex-wrap items-baseline gap-4">
      <input
        // biome-ignore lint/a11y/noAutofocus: it opens to be typed into
        autoFocus
        aria-label="Name of the template"
        placeholder="Name of the template"
        className="blank-line max-w-72"
        value={name}
        onChange={(e) => setName(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === 'Enter') void keep()
          if (e.key !== 'Escape') return
          e.stopPropagation()
          setName(null)
        }}
      />
      <Button onClick={keep} disabled={wanted === '' || isTaken} shortcut="Enter">
        Keep it
      </Button>
      {isTaken && <span className="text-rope text-sm">A template is called that already.</span>}
    </div>
  )
}
