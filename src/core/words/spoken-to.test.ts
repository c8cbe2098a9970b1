import { TABLES } from '@/demo/tables'
import { ORGANISATION } from '../../../tests/support/core'
import type { Recipient, Workflow } from '../document/document'
import { PERSON_TABLE, type TableDef } from '../values/tables'
import { doesWords } from './does'
import { movedWords } from './moved'
import { whyYou } from './spoken-to'

const schema = new Map([PERSON_TABLE, ...TABLES].map((t) => [t.name, t]))
const wording = { schema, organisation: ORGANISATION, names: new Map<string, string>() }
const table = (name: string): TableDef => schema.get(name) ?? PERSON_TABLE

const won: Workflow = {
  rappel: 'workflow/1',
  name: 'Enquiry won',
  table: 'enquiries',
  cue: { kind: 'record', on: ['changed'] },
  conditions: { all: [{ field: 'stage', op: 'is', value: 'Won' }] },
  bringIn: [{ name: 'people', list: 'contacts.company', of: 'company' }],
  actions: [{ name: 'tell', do: 'email', to: [{ list: 'people', field: 'email' }], subject: 'S', body: 'B' }],
}
const shown = { workflow: won, table: table('enquiries'), wording, title: 'EN-0276', linked: () => 'Northhaven Rowing Club' }

test.each<[Recipient[], string]>([
  [[{ list: 'people', field: 'email' }], 'You are a contact of Northhaven Rowing Club; enquiry EN-0276 became Won.'],
  [[{ field: 'owner' }], 'You are the owner of enquiry EN-0276; enquiry EN-0276 became Won.'],
  [[{ managerOf: 'owner' }, { group: 'Claims desk' }], 'You are the manager of the owner of enquiry EN-0276, or you are in the group Claims desk; enquiry EN-0276 became Won.'],
  [[{ field: 'before.owner' }], 'You are the previous owner of enquiry EN-0276; enquiry EN-0276 became Won.'],
  [[{ address: 'a@b.example' }], 'The workflow names your address; enquiry EN-0276 became Won.'],
])('to %j it is said: %s', (entries, sentence) => expect(whyYou(entries, shown, 'changed')).toBe(sentence))

test('to people outside nothing of the record is said', () => {
  expect(whyYou([{ list: 'people', field: 'email' }], { ...shown, title: null, linked: () => null }, 'changed')).toBe(
    'You are a contact of the company of an enquiry; an enquiry became Won.',
  )
})

test('what a workflow does, in a line', () => {
  expect(doesWords(won, wording)).toBe('an enquiry is changed: stage is Won → email each of people, one each')
  expect(doesWords({ ...won, conditions: undefined, actions: [] }, wording)).toBe('an enquiry is changed → nothing yet')
})

test.each<[Parameters<typeof movedWords>[0], readonly string[], string]>([
  [{ kind: 'changed', changed: ['stage', 'value'], before: { stage: 'New', value: 900 }, after: { stage: 'Won', value: 1250 } }, ['value'], 'value 900 → 1250, stage New → Won'],
  [{ kind: 'changed', changed: ['a', 'stage'], before: { stage: null }, after: { stage: 'Won' } }, [], 'stage blank → Won'],
  [{ kind: 'created', changed: [], before: null, after: { stage: 'New' } }, ['stage'], 'added: stage New'],
  [{ kind: 'created', changed: [], before: null, after: {} }, [], 'added'],
  [{ kind: 'deleted', changed: [], before: {}, after: null }, ['stage'], 'removed'],
])('what changed: %j', (moved, looked, words) => {
  expect(movedWords(moved, table('enquiries'), looked, (_, value) => (value === null ? 'blank' : String(value)))).toBe(words)
})
