import { PEOPLE } from '@/demo/people'
import { TABLES } from '@/demo/tables'
import { ORGANISATION } from '../../../tests/support/core'
import type { Workflow } from '../document/document'
import { PERSON_TABLE } from '../values/tables'
import { findStarters } from './find-starters'
import { followed, withTextAt } from './follow'
import { proposedName } from './proposed-name'
import { startersOf, valueStartersOf } from './starters'

const schema = new Map([PERSON_TABLE, ...TABLES].map((t) => [t.name, t]))
const wording = { schema, organisation: ORGANISATION, names: new Map(PEOPLE.map((p) => [p.email, p.name])) }
const table = (name: string) => schema.get(name) as (typeof TABLES)[number]

const base: Workflow = { rappel: 'workflow/1', name: '', table: 'claims', cue: { kind: 'record', on: ['changed'] }, actions: [] }
const settled: Workflow = { ...base, conditions: { all: [{ field: 'status', op: 'is', value: 'Settled' }] } }

test.each<[string, Partial<Workflow>]>([
  ['Claim changed', {}],
  ['Claim added', { cue: { kind: 'record', on: ['created'] } }],
  ['Claim added or removed', { cue: { kind: 'record', on: ['created', 'deleted'] } }],
  ['Claim: status becomes Settled', settled],
  ['Claim: status becomes …', { conditions: { field: 'status', op: 'is' } }],
  ['Claim: status is Settled', { ...settled, firing: 'every' }],
  ['Claim: status is Settled for 5 days', { ...settled, cue: { kind: 'record', on: ['created', 'changed'], stays: 'P5D' } }],
  ['Claims: every day at 07:00', { cue: { kind: 'timetable', cron: '0 7 * * *', per: 'all' } }],
  ['Claim: by hand', { cue: { kind: 'by hand' } }],
  [
    'Claim: amount crossed above £500.00, status is blank, …',
    {
      conditions: {
        all: [
          { field: 'amount', op: 'crossed above', value: 500 },
          { field: 'status', op: 'is blank' },
          { field: 'kind', op: 'is filled' },
        ],
      },
    },
  ],
])('a draft is proposed to be called “%s”', (name, parts) => {
  expect(proposedName({ ...base, ...parts }, wording).replaceAll('\u00a0', ' ')).toBe(name)
})

const starter = (key: string, of = 'claims') => {
  const setting = { wording }
  const found = [...startersOf(table(of), setting), ...valueStartersOf(table(of), setting)].find((s) => s.key === key)
  if (!found) throw new Error(`no starter ${key}`)
  return found.workflow
}
const mailOf = (workflow: Workflow) => {
  const [mail] = workflow.actions
  if (mail?.do !== 'email') throw new Error('no mail')
  return mail
}

test('name, subject and text go along with the field and the recipient, until somebody writes their own', () => {
  const before = starter('becomes status Settled')
  expect(mailOf(before).subject).toBe('{{ claim.number }} is {{ claim.status }}')
  const after = followed(before, { ...before, conditions: { all: [{ field: 'amount', op: 'rose' }] } }, wording)
  expect(after.name).toBe('Claim: amount rose')
  expect(mailOf(after).subject).toBe('{{ claim.number }}: amount {{ claim.amount }}')
  expect(mailOf(after).body).toContain('{{ before.amount | default: "blank" }} to {{ claim.amount | default: "blank" }}')
  const { actions } = after
  const passenger = followed(after, { ...after, actions: [{ ...mailOf(after), to: [{ field: 'passenger.email' }] }] }, wording)
  expect(mailOf(passenger).body).toContain('Dear {{ claim.passenger.')
  const own = { ...after, name: 'Mine', actions: [{ ...mailOf(after), subject: 'Mine' }] }
  const kept = followed(after, own, wording)
  expect(kept).toBe(own)
  expect(followed(kept, { ...kept, conditions: settled.conditions }, wording)).toMatchObject({
    name: 'Mine',
    actions: [{ subject: 'Mine', body: mailOf({ ...after, actions }).body }],
  })
})

test('a name that others have keeps its number as it follows', () => {
  const free = (name: string) => (name === 'Claim changed' ? 'Claim changed 2' : name)
  const before = { ...base, name: 'Claim changed 2' }
  expect(followed(before, { ...before, cue: { kind: 'record', on: ['deleted'] } }, wording, free).name).toBe('Claim removed')
})

test('mail that is added inside a repetition speaks of its entries', () => {
  const each: Workflow = {
    ...base,
    table: 'sailings',
    actions: [{ name: 'each', do: 'each', of: 'bookings.sailing', as: 'booking', actions: [{ name: 'tell', do: 'email', to: [{ field: 'booking.passenger.email' }] }] }],
  }
  const filled = withTextAt(each, 'tell', wording)
  expect(JSON.stringify(filled.actions)).toContain('booking.passenger')
})

test('what changes most comes first', () => {
  const keys = startersOf(table('claims'), {
    wording,
    moves: new Map([
      ['amount', 900],
      ['kind', 3],
    ]),
  }).map((s) => s.key)
  expect(keys.indexOf('level amount')).toBeLessThan(keys.indexOf('reached kind'))
  expect(keys.indexOf('reached kind')).toBeLessThan(keys.indexOf('reached status'))
})

test('everyone on a list, also on a list of what the record points at', () => {
  expect(starter('everyone bookings.sailing', 'sailings').actions).toMatchObject([{ to: [{ list: 'bookings.sailing' }] }])
  expect(starter('everyone company contacts.company', 'enquiries')).toMatchObject({
    bringIn: [{ name: 'contacts', list: 'contacts.company', of: 'company' }],
    actions: [{ to: [{ list: 'contacts', field: 'email' }] }],
  })
})

test('starters are found by the beginnings of their words', () => {
  expect(findStarters('claim settled', { wording }, 5).map((f) => f.sentence)).toEqual(['claim’s status becomes Settled'])
  expect(findStarters('elbow', { wording }, 5)).toEqual([])
  expect(findStarters('cl st b', { wording }, 3)).toHaveLength(3)
})
