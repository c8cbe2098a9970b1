'use client'

import type { Ask } from '@/core/document/document'
import { Choice } from '../parts/choice'
import { DateField } from '../parts/date-field'
import { Labelled } from '../parts/labelled'
import type { PersonChoice } from '../records/values'

interface Props {
  readonly question: Ask
  readonly value: unknown
  readonly people: readonly PersonChoice[]
  readonly fault: string | undefined
  readonly onAnswer: (value: unknown) => void
}

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
  if (type === 'date' || type === 'date-time') return <DateField label={label} value={text} onChange={onAnswer} clock={type === 'date-time'} />
  return (
    <input
      aria-label={label}
      className="blank-line"
      inputMode={type === 'number' || type === 'money' ? 'decimal' : undefined}
      value={text}
      onChange={(e) => onAnswer(e.target.value)}
    />
  )
}
