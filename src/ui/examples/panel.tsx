'use client'

import type { Workflow } from '@/core/document/document'
import type { ExampleAnswer } from '@/engine/answers/lines'
import { pageOf } from '../editor/standing'
import Link from '../parts/link'
import { type Asked, useAsked } from '../parts/queries'
import { counted } from '../today/summary'

export type ShownExample = ExampleAnswer

const AFTER_MS = 300

/** How the examples of a draft fare, asked again after each edit; nothing is asked where there is none. */
export function useExamples(document: Workflow): Asked<{ examples: readonly ShownExample[] }> {
  return useAsked('/api/v1/examples', document.examples?.length ? { workflow: document } : null, AFTER_MS)
}

/** The examples in the margin: each passes, or says what falls short. */
export function ExamplesPanel({ asked, name }: { asked: ReturnType<typeof useExamples>; name: string | null }) {
  const { answer, fault, busy } = asked
  if (!answer && !fault) return null
  const failing = answer?.examples.filter((e) => !e.passes).length ?? 0
  return (
    <section aria-label="Examples" aria-busy={busy} className="mb-5 border-rule border-b pb-4">
      <div className="flex items-baseline justify-between">
        <h2 className={`role-word ${failing ? 'text-alarm' : 'text-spruce'}`}>Examples</h2>
        {answer && (
          <span className="text-muted text-sm">
            {failing ? `${failing} of ${answer.examples.length} fail` : `${counted(answer.examples.length, 'example')} pass${answer.examples.length === 1 ? 'es' : ''}`}
          </span>
        )}
      </div>
      {fault && <p className="text-muted text-sm">{fault}</p>}
      <ul className="mt-1">
        {answer?.examples.map((e) => (
          <li key={e.name} className="border-rule border-t py-1 text-sm">
            <span className="flex items-baseline gap-3">
              <span className={`w-10 shrink-0 ${e.passes ? 'text-calm' : 'font-semibold text-alarm'}`}>{e.passes ? 'passes' : 'fails'}</span>
              {name === null ? <span>{e.name}</span> : <Link href={`${pageOf(name)}/dry-run?example=${encodeURIComponent(e.name)}`}>{e.name}</Link>}
            </span>
            {e.shortfalls.map((s) => (
              <span key={s} className="block pl-13 text-muted">
                {s}
              </span>
            ))}
          </li>
        ))}
      </ul>
    </section>
  )
}
