import { newClaimWorkflow } from '../../../tests/support/claims'
import { ORGANISATION, SCHEMA } from '../../../tests/support/core'
import type { EmailAction } from '../document/document'
import { differences } from './diff'

const wording = { schema: SCHEMA, organisation: ORGANISATION, names: new Map<string, string>() }
const base = newClaimWorkflow({ conditions: { all: [{ field: 'amount', op: 'at least', value: 10 }] } })

test('the same document has no differences', () => expect(differences(base, structuredClone(base), wording)).toEqual([]))

test('lines that came and went, and parts that the words do not say', () => {
  const next = newClaimWorkflow({
    conditions: { all: [{ field: 'amount', op: 'at least', value: 20 }] },
    actions: [
      { ...(base.actions[0] as EmailAction), body: 'Another text' },
      { name: 'n', do: 'notice', channel: 'Quays', text: 'N' },
    ],
  })
  expect(differences(base, next, wording)).toEqual([
    { what: 'removed', role: 'where', words: 'amount is at least £10.00', parts: [] },
    { what: 'added', role: 'where', words: 'amount is at least £20.00', parts: [] },
    { what: 'changed', role: 'email', words: 'its owner', parts: ['body'] },
    { what: 'added', role: 'notice', words: 'to the channel Quays', parts: [] },
  ])
})
