'use client'

import { must } from '@/core/must'
import { FIELD_TYPES, type FieldDef, type FieldType } from '@/core/values/tables'
import type { Proposal } from '@/engine/bulk/propose'
import { Choice } from '../parts/choice'
import { TableHead } from '../parts/table-head'
import { firstValues } from './words'

/** A field of the table to be, or none: its column is left out. */
export interface Kept extends FieldDef {
  readonly left?: boolean
}

const TYPES = FIELD_TYPES.filter((t) => t !== 'file')
const LEFT = '\u0000left'

interface FieldTableProps {
  readonly fields: readonly Kept[]
  readonly proposal: Proposal
  readonly tables: readonly { readonly name: string; readonly label: string }[]
  readonly title: string
  readonly onTitle: (field: string) => void
  readonly onPut: (place: number, change: Partial<Kept>) => void
}

/** The fields of the table to be, each with what it holds and its first values, corrected in place. */
export function FieldTable({ fields, proposal, tables, title, onTitle, onPut }: FieldTableProps) {
  const option = (type: FieldType) => ({ value: type as string, label: type })
  const links = tables.map((t) => ({ value: `link ${t.name}`, label: `link to ${t.label}` }))
  const options = [...TYPES.filter((t) => t !== 'link').map(option), ...links, { value: LEFT, label: 'left out' }]
  const set = (i: number, value: string) => {
    const field = must(fields[i])
    const { choices: _, number: __, table: ___, ...bare } = field
    if (value === LEFT) return onPut(i, { left: true })
    if (value.startsWith('link ')) return onPut(i, { ...bare, type: 'link', table: value.slice(5), choices: undefined, number: undefined, left: false })
    const type = TYPES.find((t) => t === value) ?? 'text'
    const choices = type === 'choice' ? (field.choices ?? [...new Set(proposal.first.map((row) => row[i] ?? '').filter(Boolean))]) : undefined
    onPut(i, { type, choices, table: undefined, number: type === 'text' ? field.number : undefined, left: false })
  }
  return (
    <table className="w-full text-sm">
      <TableHead columns={[['Field', 'w-1/4'], ['Holds', 'w-1/4'], 'First values', ['Title', 'w-14 text-center']]} />
      <tbody>
        {fields.map((field, i) => (
          <tr key={field.name} className={`border-rule border-t align-baseline ${field.left ? 'text-muted' : ''}`}>
            <td className="py-1 pr-5">
              <input
                aria-label={`Name of ${proposal.headings[i] || `column ${i + 1}`}`}
                className="blank-line font-semibold"
                disabled={field.left}
                value={field.label}
                onChange={(e) => onPut(i, { label: e.target.value })}
              />
            </td>
            <td className="pr-5">
              <Choice
                label={`What ${field.label} holds`}
                value={field.left ? LEFT : field.type === 'link' ? `link ${field.table}` : field.type}
                options={options}
                onChange={(value) => set(i, value)}
              />
              {!field.left && field.number && <span className="text-muted text-xs">automatic number {field.number}</span>}
              {!field.left && field.choices && (
                <input
                  aria-label={`Choices of ${field.label}`}
                  className="blank-line text-muted text-xs"
                  value={field.choices.join(', ')}
                  onChange={(e) => onPut(i, { choices: e.target.value.split(',').map((c) => c.trimStart()) })}
                  onBlur={() => onPut(i, { choices: (field.choices ?? []).map((c) => c.trim()).filter(Boolean) })}
                />
              )}
            </td>
            <td className="max-w-0 truncate text-muted">{firstValues(proposal.first.map((row) => row[i]))}</td>
            <td className="text-center">
              <input
                type="radio"
                name="title"
                className="accent-spruce"
                aria-label={`${field.label} names a record`}
                checked={title === field.name}
                disabled={field.left || field.type === 'person' || field.type === 'link'}
                onChange={() => onTitle(field.name)}
              />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}
