import type { Operand } from '@/core/document/condition'
import { everyTableFields, type FieldDef, type Schema, type TableDef, targetOf } from '@/core/values/tables'
import type { Option } from '../parts/choice'
import type { PersonChoice } from '../records/values'

/** The fields of a table and, one link further, those of what it points at. */
export function pathOptions(table: TableDef, schema: Schema): Option[] {
  const own = [...table.fields, ...everyTableFields(table)]
  const linked = table.fields.flatMap((f) => {
    const target = schema.get(targetOf(f) ?? '')
    return target ? target.fields.map((g) => ({ value: `${f.name}.${g.name}`, label: `${f.label.toLowerCase()}’s ${g.label.toLowerCase()}`, note: g.type })) : []
  })
  return [...own.map((f) => ({ value: f.name, label: f.label.toLowerCase(), note: f.type })), ...linked]
}

/** Whether a field holds numbers. */
export const isNumber = (field: FieldDef) => field.type === 'number' || field.type === 'money'

/** What was typed as the document wants it: a number where it is one, else the text as it stands so that the review can say what is wrong. */
export function readTyped(text: string, field: FieldDef): Operand {
  const isPlain = /^-?\d{1,15}(\.\d+)?$/.test(text.trim()) && text.replace(/\D/g, '').length <= 15
  return isNumber(field) && isPlain && !/\.\d*0$/.test(text) ? Number(text) : text
}

/** The values that can only be chosen from: choices, people by e-mail, yes and no; null for what is typed. */
export function fixedOptions(field: FieldDef, people: readonly PersonChoice[]): Option[] | null {
  if (field.type === 'choice') return (field.choices ?? []).map((c) => ({ value: c, label: c }))
  if (field.type === 'person')
    return people.map((p) => ({ value: p.email, label: p.name, ...(people.filter((other) => other.name === p.name).length > 1 ? { note: p.email } : {}) }))
  if (field.type !== 'yes/no') return null
  return [
    { value: 'true', label: 'yes' },
    { value: 'false', label: 'no' },
  ]
}
