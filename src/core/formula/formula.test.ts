import { evaluate } from 'feelin'
import { newClaimWorkflow } from '../../../tests/support/claims'
import { claimChange, loadedWorld, SURROUNDINGS } from '../../../tests/support/core'
import { changeOccasion } from '../cues/occasion'
import { compileWorkflow, evaluateOrNeed } from '../workflow/evaluate'
import { formulaProblem } from './formula'

function value(formula: string, image: Parameters<typeof claimChange>[2] = { owner: 2, amount: 10 }): string {
  const workflow = newClaimWorkflow({
    values: [{ name: 'result', formula }],
    actions: [{ name: 'tell', do: 'email', to: [{ address: 'someone@example.org' }], subject: 'S', body: '{{ result }}' }],
  })
  const outcome = evaluateOrNeed(compileWorkflow(workflow, SURROUNDINGS), changeOccasion(claimChange('created', null, image)), loadedWorld(), false)
  return 'plan' in outcome ? (outcome.plan.messages[0]?.text ?? '') : JSON.stringify(outcome)
}

test.each([
  ['amount * 2 + 1', '21'],
  ['claim.owner.first_name + " " + record.owner.last_name', 'Rafi Demir'],
  ['if amount > 5 then "large" else "small"', 'large'],
  ['owner.manager.email', 'ines@office.example'],
  ['count(change.fields)', '4'],
  ['date("2026-03-01") + duration("P2D")', '2026-03-03'],
  ['string length(note)', ''],
])('%s gives “%s”', (formula, expected) => expect(value(formula)).toBe(expected))

test('a date field is a FEEL date', () => expect(value('due + duration("P1D")', { due: '2026-02-28' })).toBe('2026-03-01'))

test.each(['claim.in in ["a"]', 'if claim.if = 1 then claim.then else claim.else', 'for x in xs return x.return', '[1..if true then 2 else 3]', '"a.in" + claim. function'])(
  'behind a point, what FEEL keeps for itself is a field: %s',
  (formula) => expect(formulaProblem(formula)).toBeNull(),
)
test.each(['in + 1', 'claim..in', 'claim.amount in', 'a.b if'])('elsewhere it is not: %s', (formula) => expect(formulaProblem(formula)).toMatch(/does not parse/))

test.each(['', '1 +', 'for i in 1..100000000 return i', `"${'x'.repeat(2_001)}"`])('“%s” is refused in words', (formula) =>
  expect(formulaProblem(formula)).toMatch(/^The formula .*\.$/),
)

// Source: OMG, Decision Model and Notation 1.5, chapter 10 (FEEL): examples of 10.3.2.5 (ternary logic) and of the built-in functions' tables 76 to 80; from memory.
test.each([
  ['false and null', false],
  ['true or null', true],
  ['5 in [1..10]', true],
  ['substring("foobar", 3)', 'obar'],
  ['substring("foobar", 3, 3)', 'oba'],
  ['substring("foobar", -2, 1)', 'a'],
  ['string length("foo")', 3],
  ['upper case("aBc4")', 'ABC4'],
  ['substring before("foobar", "bar")', 'foo'],
  ['contains("foobar", "of")', false],
  ['starts with("foobar", "fo")', true],
  ['list contains([1, 2, 3], 2)', true],
  ['count([1, 2, 3])', 3],
  ['min([1, 2, 3])', 1],
  ['sum([1, 2, 3])', 6],
  ['mean([1, 2, 3])', 2],
  ['every x in [1, 2] satisfies x > 0', true],
  ['some x in [1, 2] satisfies x > 1', true],
  ['decimal(1/3, 2)', 0.33],
  ['floor(1.5)', 1],
  ['ceiling(1.5)', 2],
])('DMN: %s', (formula, expected) => expect(evaluate(formula, {}).value).toEqual(expected))

test.each([
  ['for i in 1..10 return i', null],
  ['amount in [1..limit]', null],
  ['"1..n for all"', null],
  ['for i in 1..amount return i', 'whose end is not known'],
  ['some i in amount..3 satisfies i > 1', 'whose end is not known'],
  ['for i in 1..200000 return i', 'at most 100000 steps'],
  ['for i in 1..1000, j in 1..1000 return i', 'at most 100000 steps'],
])('a formula always ends: %s', (formula, says) => {
  if (says === null) expect(formulaProblem(formula)).toBeNull()
  else expect(formulaProblem(formula)).toContain(says)
})
