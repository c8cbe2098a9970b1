import type { Value } from '@/core/document/document'
import { type FieldDef, type FieldType, type TableDef, targetOf } from '@/core/values/tables'
import type { Option } from '../../parts/choice'
import { type Place, pathsAt } from '../place'
import { peopleOptions } from '../recipients-field'

/** A field with the value that it is set to in one choice; null where the value is still to be given. */
export interface SetOffer {
  readonly option: Option
  readonly name: string
  readonly value: Value
}

/** The types of fields whose values a field of a type can take. */
export function likeTypes(type: FieldType): FieldType[] | undefined {
  if (['text', 'long text'].includes(type)) return undefined
  if (type === 'number' || type === 'money') return ['number', 'money']
  return type === 'date' || type === 'date-time' ? ['date', 'date-time'] : [type]
}

/** What each of some fields can be set to in one choice: its choices, yes or no, a day, somebody, or what a field of the record holds that is alike. */
export function setOffers(fields: readonly FieldDef[], target: TableDef, place: Place): SetOffer[] {
  return fields.flatMap((field) => {
    const label = field.label.toLowerCase()
    const offer = (words: string, value: Value, note?: string): SetOffer => ({
      option: { value: `${field.name} ${words}`, label: `${label}: ${words}`, ...(note ? { note } : {}) },
      name: field.name,
      value,
    })
    return [
      { option: { value: field.name, label: `${label} …`, note: field.type }, name: field.name, value: null },
      ...(field.choices ?? []).map((choice) => offer(choice, choice)),
      ...(field.type === 'yes/no' ? [offer('yes', true), offer('no', false)] : []),
      ...(field.type === 'date' || field.type === 'date-time' ? DAYS.map(([words, today]) => offer(words, { today })) : []),
      ...pathsLike(field, target, place).map((o) => offer(`its ${o.label}`, { field: o.value }, 'what the record holds')),
      ...(field.type === 'person' && !place.setting.onlyTo ? peopleOptions(place.setting).map((o) => offer(o.label, o.value, o.note)) : []),
      offer('blank', null),
    ]
  })
}

const DAYS: readonly (readonly [string, number])[] = [
  ['today', 0],
  ['in 1 day', 1],
  ['in 2 days', 2],
  ['in 7 days', 7],
]

/** Most fields of the record that are offered for one field. */
const MOST_LIKE = 12

/** The fields of the record that a field can take its value from: links and people that lead to the same, else those of its type, those named alike first. */
function pathsLike(field: FieldDef, target: TableDef, place: Place): Option[] {
  const { table, wording } = place
  const to = targetOf(field)
  const own = pathsAt({ ...place, roots: new Map() }, likeTypes(field.type)).filter((o) => {
    if (place.table === target && o.value === field.name) return false
    if (!to || field.type === 'person') return o.value !== 'id'
    const [head = '', next] = o.value.split('.')
    const link = table.fields.find((f) => f.name === head)
    const end = next === undefined ? link : wording.schema.get((link && targetOf(link)) ?? '')?.fields.find((f) => f.name === next)
    return end !== undefined && targetOf(end) === to
  })
  const isAlike = (o: Option) => o.value === field.name || o.value.endsWith(`.${field.name}`)
  const back = to === table.name && table.none === undefined ? [{ value: 'id', label: `${table.singular.replaceAll('_', ' ')} itself`, note: 'link' }] : []
  return [...back, ...own.filter(isAlike), ...own.filter((o) => !isAlike(o))].slice(0, MOST_LIKE)
}
