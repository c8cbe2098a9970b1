'use client'

import { useMemo } from 'react'
import type { Wording } from '@/core/conditions/sentence'
import { type Clause, isClause } from '@/core/document/condition'
import type { Workflow } from '@/core/document/document'
import { valueAt } from '@/core/document/pointer'
import { checkPath } from '@/core/paths/path'
import { fitsValue } from '@/core/rehearsal/fits-value'
import type { TableDef } from '@/core/values/tables'
import type { AtLineAnswer, SpreadAnswer } from '@/engine/answers/lines'
import { useAsked } from '../parts/queries'
import { Time } from '../parts/time'
import type { EditorSetting } from './setting'
import type { ShowValue } from './show-value'
import { SpreadPicture } from './spread'

type ChangeAtLine = AtLineAnswer['on'][number]

const AFTER_MS = 250

interface Props {
  readonly document: Workflow
  readonly path: string
  readonly table: TableDef | undefined
  readonly setting: EditorSetting
  readonly wording: Wording
  readonly shown: ShowValue
  readonly onSample: (id: number) => void
  readonly put: (path: string, value: unknown) => void
}

/** What the past says of the chosen line of the conditions: where records lie on its value, and the changes that it stopped and that went on, each with its values. */
export function AtLine({ document, path, table, setting, wording, shown, onSample, put }: Props) {
  const { answer, busy } = useAsked<{ line: AtLineAnswer | null; spread: SpreadAnswer | null }>('/api/v1/rehearse/line', { workflow: document, path }, AFTER_MS)
  const clause = valueAt<Clause>(document, path)
  const checked = table && clause && isClause(clause) ? checkPath(wording.schema, table, clause.field) : null
  const field = checked && !('problem' in checked) ? checked.field : null
  const fits = useMemo(() => {
    const people = new Map(setting.people.map((p) => [p.email.toLowerCase(), p.id]))
    return clause && field ? fitsValue(clause, field, { schema: wording.schema, organisation: setting.organisation, people }, new Date()) : null
  }, [clause, field, setting, wording])
  if (!answer) return null
  const { line, spread } = answer
  const emailOf = (id: unknown) => (field?.type === 'person' ? (setting.people.find((p) => p.id === id)?.email ?? null) : null)
  return (
    <div aria-busy={busy}>
      {clause && field && spread?.field === clause.field && spread.values.length > 0 && (
        <SpreadPicture
          clause={clause}
          spread={spread}
          fits={fits}
          records={table?.label ?? 'records'}
          emailOf={emailOf}
          shown={(value) => shown(clause.field, value)}
          onChange={(value) => put(`${path}/value`, value)}
        />
      )}
      {line && (
        <div className="mb-4 grid grid-cols-2 gap-5">
          <Changes title="Went on" changes={line.on} shown={shown} onSample={onSample} />
          <Changes title="Stopped here" changes={line.stopped} shown={shown} onSample={onSample} />
        </div>
      )}
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
