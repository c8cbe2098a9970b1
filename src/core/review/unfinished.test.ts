import { newClaimWorkflow } from '../../../tests/support/claims'
import { SCHEMA, SURROUNDINGS } from '../../../tests/support/core'
import type { Workflow } from '../document/document'
import { readWorkflow } from '../document/schema'
import { runnable } from '../rehearsal/runnable'
import { compileWorkflow } from '../workflow/evaluate'
import { review } from './review'

/** A line that is being written is kept with the draft, counts as something to mend, in words, and keeps nothing else from being shown. */

const { organisation, people, engines } = SURROUNDINGS
const setting = { organisation, people, engines, schema: SCHEMA, groups: new Set(['Desk']), teams: new Set(['Claims']), channels: new Set(['Quays']) }
const email = { name: 'tell', do: 'email', to: [{ address: 'a@x.example' }], subject: 'S', body: 'B' }
const action = (parts: object) => ({ actions: [email, { name: 'other', ...parts }] })
const mail = (parts: object) => ({ actions: [{ ...email, ...parts }] })
const clause = (parts: object) => ({ conditions: { all: [{ field: 'amount', op: 'is', value: 1, ...parts }] } })

const UNFINISHED: [line: string, parts: object, says: RegExp][] = [
  ['a table that is not chosen', { table: '' }, /No table is chosen yet/],
  ['a clause without a field', clause({ field: '' }), /No field of Claims is chosen yet/],
  ['a clause against a field that is not chosen', clause({ value: { field: '' } }), /No field of Claims is chosen yet/],
  ['a clause against an empty formula', clause({ value: { formula: '' } }), /The formula is empty/],
  ['a clause without a value', clause({ value: undefined }), /needs a value to compare/],
  ['whose team is not chosen', { cue: { kind: 'record', on: ['created'], whose: { team: '' } } }, /No team is chosen yet/],
  ['what is brought in without a name', { bringIn: [{ name: '', link: 'owner' }] }, /It has no name yet/],
  ['a link that is not chosen', { bringIn: [{ name: 'x', link: '' }] }, /chosen yet/],
  ['a list that is not chosen', { bringIn: [{ name: 'x', list: '' }] }, /chosen yet/],
  ['neither link nor list', { bringIn: [{ name: 'x' }] }, /Nothing is chosen to bring in yet/],
  ['a value without a name', { values: [{ name: '', text: 'x' }] }, /It has no name yet/],
  ['a value without formula and text', { values: [{ name: 'x' }] }, /neither a formula nor a text yet/],
  ['an empty formula', { values: [{ name: 'x', formula: '' }] }, /The formula is empty/],
  ['an action without a name', mail({ name: '' }), /The action has no name yet/],
  [
    'two actions without names',
    {
      actions: [
        { ...email, name: '' },
        { ...email, name: '' },
      ],
    },
    /The action has no name yet/,
  ],
  ['nobody to write to', mail({ to: [] }), /has no recipient/],
  ['a field of the recipient that is not chosen', mail({ to: [{ field: '' }] }), /No field of Claims is chosen yet/],
  ['a group that is not chosen', mail({ to: [{ group: '' }] }), /No group is chosen yet/],
  ['a team that is not chosen', mail({ to: [{ team: '' }] }), /No team is chosen yet/],
  ['an address that is not written', mail({ to: [{ address: '' }] }), /The address is not written yet/],
  ['an address text that is not written', mail({ to: [{ text: '' }] }), /yields no address/],
  ['whose manager is not chosen', mail({ to: [{ managerOf: '' }] }), /No field of Claims is chosen yet/],
  ['a list of recipients that is not chosen', mail({ to: [{ list: '', field: '' }] }), /No list is chosen yet/],
  ['a sender that is not chosen', mail({ from: { sender: '' } }), /No sender identity is chosen yet/],
  ['a template that is not chosen', mail({ template: '' }), /No template is chosen yet/],
  ['files that are not chosen', mail({ attach: [{ file: '' }, { field: '' }] }), /No file is chosen yet[\s\S]*No field of Claims is chosen yet/],
  ['an update that sets nothing', action({ do: 'update', set: {} }), /Nothing is set/],
  ['an update of a field that is not chosen', action({ do: 'update', set: { '': 1 } }), /No field of Claims is chosen yet/],
  ['an update from a field that is not chosen', action({ do: 'update', set: { note: { field: '' } } }), /No field of Claims is chosen yet/],
  ['an update of a record that is not chosen', action({ do: 'update', target: '', set: { note: 'x' } }), /No record to change is chosen yet/],
  ['a creation in no table', action({ do: 'create', table: '', set: {} }), /No table is chosen yet/],
  ['a creation that sets nothing', action({ do: 'create', table: 'claims', set: {} }), /Nothing is set/],
  ['a notice that says nothing to nobody', action({ do: 'notice', text: '' }), /neither a channel nor people[\s\S]*says nothing/],
  ['a choice without branches', action({ do: 'choose', branches: [] }), /There is no branch to choose/],
  ['a branch without a condition', action({ do: 'choose', branches: [{ when: { field: '', op: 'is', value: null }, actions: [] }] }), /No field of Claims is chosen yet/],
  ['for each of nothing', action({ do: 'each', of: '', as: '', actions: [] }), /No list is chosen yet/],
]

test.each(UNFINISHED)('%s', (_line, parts, says) => {
  const read = readWorkflow(newClaimWorkflow(parts as Partial<Workflow>))
  if (!('workflow' in read)) throw new Error(`It was refused: ${JSON.stringify(read.problems)}`)
  const findings = review(read.workflow, setting)
  const errors = findings.filter((f) => f.level === 'error').map((f) => f.message)
  expect(errors.join('\n')).toMatch(says)
  // in words: no path of the document, no empty quotes, no word of the schema
  for (const message of errors) expect(message).not.toMatch(/\[\d+\]|""|\b(undefined|object|required field|null)\b/)
  if (read.workflow.table) expect(() => compileWorkflow(runnable(read.workflow, findings), SURROUNDINGS)).not.toThrow()
})

test('for each entry that nothing is done for', () => {
  const read = readWorkflow(
    newClaimWorkflow({ bringIn: [{ name: 'mine', list: 'claims.owner', of: 'owner' }], ...action({ do: 'each', of: 'mine', as: '', actions: [] }) } as Partial<Workflow>),
  )
  const messages = 'workflow' in read ? review(read.workflow, setting).map((f) => f.message) : []
  expect(messages.join('\n')).toMatch(/An entry of the list has no name yet[\s\S]*Nothing is done for each of mine yet/)
})

test('what is no document at all is refused in words too', () => {
  const problems = (input: unknown) => {
    const read = readWorkflow(input)
    return 'problems' in read ? read.problems.map((p) => p.message) : []
  }
  expect(problems(newClaimWorkflow({ name: '' }))).toEqual(['The workflow needs a name.'])
  expect(problems(newClaimWorkflow({ name: 'x'.repeat(121) }))).toEqual(['The workflow’s name has more than 120 characters.'])
})
