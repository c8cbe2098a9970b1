'use client'

import type { Workflow } from '@/core/document/document'
import type { AtLineAnswer } from '@/engine/answers/lines'
import { useAsked } from '../parts/queries'
import { Time } from '../parts/time'
import type { ShowValue } from './show-value'

type ChangeAtLine = AtLineAnswer['on'][number]

const AFTER_MS = 250

/** The past changes that the chosen line of the conditions stopped, and those that went on, each with its values. */
export function AtLine({ document, path, shown, onSample }: { document: Workflow; path: string; shown: ShowValue; onSample: (id: number) => void }) {
  const { answer } = useAsked<{ line: AtLineAnswer | null }>('/api/v1/rehearse/line', { workflow: document, path }, AFTER_MS)
  if (!answer?.line) return null
  const { stopped, on } = answer.line
  return (
    <div className="mb-4 grid grid-cols-2 gap-5">
      <Changes title="Went on" changes={on} shown={shown} onSample={onSample} />
      <Changes title="Stopped here" changes={stopped} shown={shown} onSample={onSample} />
    </div>
  )
}

function Changes({ title, changes, shown, onSample }: { title: string; changes: readonly ChangeAtLine[]; shown: ShowValue; onSample: (id: number) => void }) {
  return (
    <section aria-label={title}>
      <h3 className="text-muted text-xs">{title}, newest first</h3>
      {changes.length === 0 && <p className="border-rule border-t py-1 text-muted text-sm">none</p>}
      <ul>
        {changes.map(({ change, field, before, after }) => (
          <li key={change.id} className="border-rule border-t">
            <button type="button" className="w-full py-1 text-left text-sm hover:bg-spruce-wash" onClick={() => onSample(change.id)}>
              <span className="flex justify-between gap-2">
                <span className="truncate text-spruce">{change.title}</span>
                <span className="whitespace-nowrap text-muted text-xs">
                  <Time at={change.at} />
                </span>
              </span>
              {field !== null && (
                <span className="block truncate">
                  {before !== after && before !== null && <span className="text-muted">{shown(field, before)} → </span>}
                  {shown(field, after)}
                </span>
              )}
            </button>
          </li>
        ))}
      </ul>
    </section>
  )
}
