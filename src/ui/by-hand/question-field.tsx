'use client'

import type { Ask } from '@/core/document/document'
import { Choice } from '../parts/choice'
import { Labelled } from '../parts/labelled'
import { localInstant } from '../parts/local-instant'
import type { PersonChoice } from '../records/values'

interface Props {
  readonly question: Ask
  readonly value: unknown
  readonly people: readonly PersonChoice[]
  readonly fault: string | undefined
  readonly onAnswer: (value: unknown) => void
}

const INPUT_TYPES: Partial<Record<Ask['type'], string>> = { date: 'date', 'date-time': 'datetime-local' }

/** One question of a workflow that is run by hand, with the control that fits its type. */
export function QuestionField({ question, value, people, fault, onAnswer }: Props) {
  const { name, label, type, required, hint } = question
  const given = value === undefined ? question.default : value
  const note = type === 'addresses' ? (hint ?? 'E-mail addresses, with commas between.') : hint
  return (
    <div data-question={name}>
      <Labelled label={required ? label : `${label} (may be left blank)`} note={note} fault={fault}>
        <Control type={type} question={question} given={given} people={people} onAnswer={onAnswer} />
      </Labelled>
    </div>
  )
}

function Control({ type, question, given, people, onAnswer }: Pick<Props, 'question' | 'people' | 'onAnswer'> & { type: Ask['type']; given: unknown }) {
  const { label, choices } = question
  const text = given === undefined || given === null ? '' : String(given)
  if (type === 'long text' || type === 'addresses')
    return <textarea aria-label={label} rows={type === 'long text' ? 4 : 2} className="blank-line" value={text} onChange={(e) => onAnswer(e.target.value)} />
  if (type === 'choice') return <Choice label={label} value={text || null} options={(choices ?? []).map((c) => ({ value: c, label: c }))} onChange={onAnswer} />
  if (type === 'yes/no')
    return (
      <Choice
        label={label}
        value={given === true ? 'yes' : given === false ? 'no' : null}
        options={[
          { value: 'yes', label: 'yes' },
          { value: 'no', label: 'no' },
        ]}
        onChange={(v) => onAnswer(v === 'yes')}
      />
    )
  if (type === 'person')
    return <Choice label={label} value={text || null} options={people.filter((p) => p.active).map((p) => ({ value: p.email, label: p.name }))} onChange={onAnswer} />
  return (
    <input
      aria-label={label}
      className="blank-line"
      type={INPUT_TYPES[type] ?? 'text'}
      inputMode={type === 'number' || type === 'money' ? 'decimal' : undefined}
      value={type === 'date-time' && text ? localInstant(text) : text}
      onChange={(e) => onAnswer(type === 'date-time' && e.target.value ? new Date(e.target.value).toISOString() : e.target.value)}
    />
  )
}
