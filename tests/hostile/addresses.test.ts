import { changeOccasion } from '@/core/cues/occasion'
import { compileWorkflow, evaluateOrNeed } from '@/core/workflow/evaluate'
import { newClaimWorkflow } from '../support/claims'
import { claimChange, loadedWorld, SURROUNDINGS } from '../support/core'

/** Whom a text with placeholders writes to, and what was left out and why. */
function written(text: string, note: string) {
  const workflow = newClaimWorkflow({ actions: [{ name: 'tell', do: 'email', to: [{ text }], subject: 'S', body: 'B' }] })
  const world = loadedWorld(['a', 'b', 'c', 'evil'].map((name) => [`suppression ${name}@b.example`, false]))
  const outcome = evaluateOrNeed(compileWorkflow(workflow, SURROUNDINGS), changeOccasion(claimChange('created', null, { note })), world, false)
  if (!('plan' in outcome)) throw new Error(JSON.stringify(outcome))
  return outcome.plan.messages.flatMap((m) => m.to.map((t) => (t.name ? `${t.name} <${t.address}>` : t.address)))
}

// Source of what a list means: RFC 5322 sections 3.2.4 (quoted strings) and 3.4 (address lists).
test.each([
  ['quotes', 'Smith" <evil@b.example>, "x', ['Smith" <evil@b.example>, "x <a@b.example>']],
  ['a comma', 'Smith, evil@b.example', ['Smith, evil@b.example <a@b.example>']],
  ['a line end', 'Smith\r\nevil@b.example', ['Smith evil@b.example <a@b.example>']],
  ['brackets and comments', 'S (x) <evil@b.example> [y]', ['S (x) <evil@b.example> [y] <a@b.example>']],
  ['a backslash', 'Smith\\', ['Smith\\ <a@b.example>']],
  ['nothing', '', ['a@b.example']],
])('a name with %s adds nobody and loses nobody', (_, note, expected) => {
  expect(written('"{{ claim.note }}" <a@b.example>', note)).toEqual(expected)
  expect(written('"{{ claim.note }}" <a@b.example>, c@b.example', note)).toEqual([...expected, 'c@b.example'])
})

test('a placeholder that stands by itself may hold addresses, and no names', () => {
  expect(written('{{ claim.note }}', 'a@b.example; c@b.example')).toEqual(['a@b.example', 'c@b.example'])
  expect(written('"A" <a@b.example>, {{ claim.note }}', 'Evil <evil@b.example>')).toEqual(['A <a@b.example>'])
})
