'use client'

import { useMemo } from 'react'
import type { Workflow } from '@/core/document/document'
import { isToMend } from '@/core/review/review'
import { briefOf } from '@/core/words/brief'
import { BriefSheet, Statement } from '../brief/sheet'
import { countAt, lineOf } from '../editor/at-lines'
import { useEvidence } from '../editor/evidence'
import type { Known } from './known'

/** The brief that words were read into, as it changes with them, with how many past changes are alive at each line. */
export function LiveBrief({ workflow, words }: { workflow: Workflow; words: Known }) {
  const lines = useMemo(() => briefOf(workflow, words.installation), [workflow, words])
  const { evidence, review, busy } = useEvidence(workflow, null, null)
  const errors = review.filter(isToMend)
  const firings = evidence?.firings ?? null
  return (
    <section aria-label="The brief" className="mt-3">
      <BriefSheet label={`Brief of ${workflow.name}`}>
        {lines.map((line) => {
          const count = evidence && countAt(line, lines, evidence, null)
          const fault = errors.find((finding) => lineOf(finding, lines) === line)
          return (
            <li key={line.path} className="grid grid-cols-[minmax(0,1fr)_5rem] items-baseline border-rule border-t px-2 py-1.5">
              <Statement line={line}>{fault && <p className="text-rope text-sm">{fault.message}</p>}</Statement>
              <span className={`text-right text-sm tabular-nums ${busy ? 'text-muted' : ''}`}>{count === null ? '' : count.toLocaleString(words.setting.organisation.locale)}</span>
            </li>
          )
        })}
      </BriefSheet>
      <p className="mt-1 text-muted text-sm" aria-live="polite">
        {firings === null ? ' ' : `Of the changes recorded it would have fired ${firings.toLocaleString(words.setting.organisation.locale)} ${firings === 1 ? 'time' : 'times'}.`}
      </p>
    </section>
  )
}
