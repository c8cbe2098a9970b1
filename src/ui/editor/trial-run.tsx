'use client'

import { useEffect, useState } from 'react'
import type { Wording } from '@/core/conditions/sentence'
import type { Workflow } from '@/core/document/document'
import { briefOf } from '@/core/words/brief'
import type { Trace } from '@/store/runs'
import { call } from '../api'
import Link from '../parts/link'
import { StateMark } from '../parts/state-mark'
import { Outcome } from '../runs/trace'

interface TrialRunDetail {
  readonly id: number
  readonly table: string
  readonly document: Workflow
  readonly trace: Trace
  readonly titles: Readonly<Record<string, string>>
  readonly error: string | null
  readonly messages: readonly { readonly id: number; readonly subject: string; readonly state: string }[]
}

interface MailText {
  readonly id: number
  readonly text: string
}

const STEP_MS = 90

/** The newest run of a trial, line by line as it went, and the mail that came of it. `stamp` changes whenever it is to be looked at anew. */
export function TrialRun({ id, stamp, wording }: { id: number; stamp: string; wording: Wording }) {
  const [run, setRun] = useState<TrialRunDetail | null>(null)
  const [mail, setMail] = useState<MailText | null>(null)
  // biome-ignore lint/correctness/useExhaustiveDependencies: the stamp says when there is something new
  useEffect(() => {
    call<TrialRunDetail>('GET', `/api/v1/runs/${id}`).then(setRun, () => undefined)
  }, [id, stamp])
  const table = run && wording.schema.get(run.table)
  if (!run || !table) return null
  const read = async (message: number) => {
    if (mail?.id === message) return setMail(null)
    const { body } = await call<{ body: string }>('GET', `/api/v1/messages/${message}`)
    setMail({ id: message, text: body })
  }
  const titles = new Map(Object.entries(run.titles))
  return (
    <div key={run.id} className="mt-2">
      <ol aria-label="What the run did, line by line">
        {briefOf(run.document, wording).map((line, i) => (
          <li key={line.path} className="arrives grid grid-cols-[2rem_minmax(0,1fr)] items-baseline border-rule border-t py-1" style={{ animationDelay: `${i * STEP_MS}ms` }}>
            <span className="font-mono text-muted text-xs">{line.number}</span>
            <div className="min-w-0">
              <p className={`font-serif ${line.muted ? 'text-muted line-through' : ''}`}>{line.words}</p>
              <Outcome line={line} trace={run.trace} table={table} setting={wording} titles={titles} />
            </div>
          </li>
        ))}
      </ol>
      {run.error && <p className="text-alarm text-sm">{run.error}</p>}
      {run.messages.map((m) => (
        <div key={m.id} className="border-rule border-t py-1 text-sm">
          <p className="flex items-baseline gap-3">
            <StateMark state={m.state} />
            <span className="min-w-0 flex-1 truncate">{m.subject}</span>
            <button type="button" className="text-spruce hover:underline" aria-expanded={mail?.id === m.id} onClick={() => read(m.id)}>
              {mail?.id === m.id ? 'Put it away' : 'Read the mail'}
            </button>
          </p>
          {mail?.id === m.id && (
            <pre className="mt-1 max-h-64 overflow-y-auto whitespace-pre-wrap break-words border-spruce border-t-2 bg-paper px-3 py-2 font-serif text-base">{mail.text}</pre>
          )}
        </div>
      ))}
      <p className="pt-1 text-sm">
        <Link href={`/runs/${run.id}`} target="_blank">
          The whole run
        </Link>
      </p>
    </div>
  )
}
