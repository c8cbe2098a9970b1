import { newClaimWorkflow } from '../../../tests/support/claims'
import type { EmailAction } from '../document/document'
import { everyAction, namesPerson, usesOf } from './uses'

const email = (more: Partial<EmailAction> = {}): EmailAction => ({ name: 'm', do: 'email', to: [{ group: 'Desk' }], subject: 'S', body: '<img src="cid:a.png">', ...more })
const workflow = newClaimWorkflow({
  conditions: { any: [{ field: 'owner', op: 'is', value: 'Ines@office.example' }] },
  actions: [
    email({ cc: [{ team: 'Quays' }], from: { sender: 'Office' }, attach: [{ file: 'b.pdf' }, { field: 'x' }] }),
    {
      name: 'c',
      do: 'choose',
      branches: [{ when: { all: [] }, actions: [email({ template: 'T', body: undefined, ifNobody: [{ group: 'Others' }] })] }],
      otherwise: [{ name: 'n', do: 'notice', channel: 'Board', text: '' }],
    },
    { name: 'e', do: 'each', of: 'l', as: 'x', actions: [email({ to: [{ address: 'out@side.example' }] })] },
  ],
})

test('every action is found, those under others too', () => expect(everyAction(workflow.actions).map((a) => a.do)).toEqual(['email', 'choose', 'email', 'notice', 'each', 'email']))

test.each([
  ['group', ['Desk', 'Others']],
  ['team', ['Quays']],
  ['sender', ['Office']],
  ['template', ['T']],
  ['channel', ['Board']],
  ['file', ['b.pdf', 'a.png']],
] as const)('which %s it uses', (thing, names) => expect(usesOf(workflow, thing)).toEqual(names))

test('whom it names, in any letter case', () => {
  expect(namesPerson(workflow, 'ines@OFFICE.example')).toBe(true)
  expect(namesPerson(workflow, 'out@side.example')).toBe(true)
  expect(namesPerson(workflow, 'rafi@office.example')).toBe(false)
})
