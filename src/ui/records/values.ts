import { formatStored } from '@/core/values/format'
import { type FieldDef, type Organisation, type Stored, type TableDef, targetOf } from '@/core/values/tables'

/** Somebody who can be chosen. */
export interface PersonChoice {
  readonly id: number
  readonly name: string
  readonly email: string
  readonly active: boolean
}

const shortInstants = new Map<string, Intl.DateTimeFormat>()

function shortInstant(value: string, organisation: Organisation): string {
  const key = `${organisation.locale} ${organisation.zone}`
  let format = shortInstants.get(key)
  if (!format) {
    format = new Intl.DateTimeFormat(organisation.locale, { day: 'numeric', month: 'short', year: 'numeric', hour: '2-digit', minute: '2-digit', timeZone: organisation.zone })
    shortInstants.set(key, format)
  }
  return format.format(new Date(value))
}

function shortDay(value: string, organisation: Organisation): string {
  return new Date(`${value}T00:00:00Z`).toLocaleDateString(organisation.locale, { day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' })
}

/** A stored value as the grid and record pages show it; links and people by the titles given. */
export function shownValue(field: FieldDef, value: Stored | undefined, titles: Readonly<Record<string, string>>, organisation: Organisation): string {
  if (value === null || value === undefined || value === '') return ''
  const target = targetOf(field)
  if (target) return titles[`${target} ${value}`] ?? `${target} ${value}`
  if (field.type === 'date') return shortDay(String(value), organisation)
  if (field.type === 'date-time') return shortInstant(String(value), organisation)
  if (field.type === 'file') return titles[`file ${value}`] ?? `file ${value}`
  const mark = field.type === 'choice' && field.marks?.[String(value)]
  return `${mark ? `${mark} ` : ''}${formatStored(field.type, value, organisation)}`
}

/** Whether values of a field stand at the right, as numbers do. */
export function isNumeric(field: FieldDef): boolean {
  return field.type === 'number' || field.type === 'money'
}

/** Whether a field of a table can be edited: of another program's table what its owner lets Rappel write. */
export const mayEdit = ({ attached }: Pick<TableDef, 'attached'>, { readOnly }: Pick<FieldDef, 'readOnly'>): boolean => !readOnly && (attached?.mayChange ?? true)
