import fc from 'fast-check'
import type { FieldType, TableDef } from '@/core/values/tables'
import { INES, RAFI } from './claims'
import { blankOr, day, number, type Subject, text } from './conditions'
import { keyed } from './keys'

const field = (name: string, type: FieldType, more: Partial<TableDef['fields'][number]> = {}) => ({ name, label: name, type, ...more })

/** A table with a field of every type there is. */
export const VISITS: TableDef = {
  name: 'visits',
  label: 'Visits',
  singular: 'visit',
  titleField: 'code',
  fields: [
    field('code', 'text'),
    field('remark', 'long text'),
    field('guests', 'number'),
    field('fee', 'money'),
    field('urgent', 'yes/no'),
    field('stage', 'choice', { choices: ['Asked', 'Agreed', 'Over'] }),
    field('day', 'date'),
    field('seen_at', 'date-time'),
    field('contact', 'email'),
    field('phone', 'phone'),
    field('host', 'person'),
    field('claim', 'link', { table: 'claims' }),
    field('letter', 'file'),
    field('folder', 'folder'),
    field('berth', 'link', { table: 'berths', key: 'uuid' }),
    field('pilot', 'link', { table: 'pilots', key: 'text' }),
  ],
}

/** Tables that visits point at, whose records have other keys. */
export const KEYED: readonly TableDef[] = [
  { name: 'berths', label: 'Berths', singular: 'berth', titleField: 'name', key: 'uuid', fields: [field('name', 'text'), field('length', 'number')] },
  { name: 'pilots', label: 'Pilots', singular: 'pilot', titleField: 'name', key: 'text', fields: [field('name', 'text')] },
]

const instant = fc.constantFrom(
  '2026-03-03T07:40:00Z',
  '2026-03-03T00:00:00Z',
  '2026-03-02T23:59:59.999Z',
  '2026-03-29T00:59:59Z', // the hour before clocks go forward in London
  '2026-03-29T01:00:00Z',
  '2026-10-25T00:30:00Z', // the hour that comes twice
  '2026-10-25T01:30:00Z',
  '2025-12-31T23:30:00-05:00',
)
/** Ids of claims and files that the tests make, in the order they are made. */
const ids = fc.integer({ min: 1, max: 3 })

const berths = fc.constantFrom(...[1, 2, 3].map((n) => String(keyed('uuid', n))))
const pilots = fc.constantFrom(...[1, 2, 3].map((n) => String(keyed('text', n))))

/** Folders, and texts that are compared with them, which need not be any. */
const folders = fc.oneof(
  fc.array(fc.constantFrom('a', 'A', 'ab', 'Ä', '2026'), { minLength: 1, maxLength: 3 }).map((parts) => parts.join('/')),
  fc.constantFrom('', '/', 'a/', '/a', ' a/b '),
)

const VALUES = {
  code: text,
  remark: text,
  guests: number,
  fee: number,
  urgent: fc.boolean(),
  stage: fc.constantFrom('Asked', 'Agreed', 'Over'),
  day,
  seen_at: instant,
  contact: text,
  phone: text,
  host: fc.constantFrom(INES, RAFI),
  claim: ids,
  letter: ids,
  folder: folders,
  berth: berths,
  pilot: pilots,
}

/** Random conditions on visits: every operator on every type, over up to three links, with every kind of right side that has an SQL reading. */
export const VISIT_SUBJECT: Subject = {
  paths: {
    ...Object.fromEntries(VISITS.fields.map((f) => [f.name, { type: f.type, value: VALUES[f.name as keyof typeof VALUES] }])),
    'host.team': { type: 'text', value: text },
    'host.active': { type: 'yes/no', value: fc.boolean() },
    'berth.id': { type: 'text', value: berths },
    'berth.length': { type: 'number', value: number },
    'pilot.id': { type: 'text', value: pilots },
    'pilot.name': { type: 'text', value: text },
    'claim.status': { type: 'choice', value: fc.constantFrom('New', 'Settled') },
    'claim.amount': { type: 'money', value: number },
    'claim.due': { type: 'date', value: day },
    'claim.owner': { type: 'person', value: fc.constantFrom(INES, RAFI) },
    'claim.owner.manager.name': { type: 'text', value: text },
  },
  others: (type, overChanges) => {
    const before = (name: string) => (overChanges ? [{ field: `before.${name}` }] : [])
    switch (type) {
      case 'text':
      case 'long text':
        return [{ field: 'remark' }, { field: 'host.name' }, { field: 'claim.owner.manager.name' }, ...before('code')]
      case 'number':
      case 'money':
        return [{ field: 'fee' }, { field: 'guests' }, { field: 'claim.amount' }, ...before('fee')]
      case 'date':
        return [{ today: 0 }, { today: -40 }, { field: 'claim.due' }, ...before('day')]
      case 'date-time':
        return [{ today: 0 }, { today: 26 }, ...before('seen_at')]
      case 'person':
        return [{ field: 'claim.owner' }, ...(overChanges ? [{ changedBy: true }, { field: 'before.host' }] : [])]
      case 'yes/no':
        return [{ field: 'host.active' }, ...before('urgent')]
      case 'choice':
        return before('stage')
      default:
        return []
    }
  },
}

/** Random images of visits, people by e-mail. */
export const visit = fc.record({
  code: blankOr(text),
  remark: blankOr(text),
  guests: blankOr(number),
  fee: blankOr(number),
  urgent: blankOr(fc.boolean()),
  stage: blankOr(VALUES.stage),
  day: blankOr(day),
  seen_at: blankOr(instant),
  contact: blankOr(text),
  phone: blankOr(text),
  host: blankOr(VALUES.host),
  claim: blankOr(ids),
  letter: blankOr(ids),
  berth: blankOr(berths),
  pilot: blankOr(pilots),
})
