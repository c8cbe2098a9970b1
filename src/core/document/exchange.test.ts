import { TABLES } from '@/demo/tables'
import { WORKFLOWS } from '@/demo/workflows'
import { newClaimWorkflow } from '../../../tests/support/claims'
import { exportWorkflow, forTable, importWorkflow, MOST_IMPORTED } from './exchange'

test.each(WORKFLOWS.map((w) => [w.workflow.name, w.workflow] as const))('“%s” goes out and comes in as it was, as JSON and as YAML', (_, workflow) => {
  for (const as of ['json', 'yaml'] as const) expect(importWorkflow(exportWorkflow(workflow, as))).toEqual({ workflow })
})

// Source: YAML 1.2 section 10.3.2 (core schema): what would read as a number, a truth or null is quoted, or it would come back as another thing.
test('texts that look like other things come back as texts', () => {
  const tricky = newClaimWorkflow({
    name: 'no',
    note: '012',
    values: [
      { name: 'v', text: 'null' },
      { name: 'w', text: '1e3' },
      { name: 'x', text: '- a: "b"\n#c' },
    ],
  })
  expect(importWorkflow(exportWorkflow(tricky, 'yaml'))).toEqual({ workflow: tricky })
})

test('what is no workflow is refused in words', () => {
  expect(importWorkflow('{"rappel": "workflow/1"')).toMatchObject({ problems: [{ message: expect.stringContaining('neither JSON nor YAML') }] })
  expect(importWorkflow('a: 1')).toMatchObject({ problems: expect.arrayContaining([expect.objectContaining({ path: '/name' })]) })
  expect(importWorkflow('x'.repeat(MOST_IMPORTED + 1))).toMatchObject({ problems: [{ message: expect.stringContaining('at most') }] })
  const bomb = `a: &a [x,x,x,x,x,x,x,x,x]\nb: &b [*a,*a,*a,*a,*a,*a,*a,*a,*a]\nc: &c [*b,*b,*b,*b,*b,*b,*b,*b,*b]\nd: [*c,*c,*c,*c,*c,*c,*c,*c,*c]`
  expect(importWorkflow(bomb)).toMatchObject({ problems: [{ message: expect.stringContaining('neither') }] })
})

test('a copy for another table speaks of its record by the other name', () => {
  const schema = new Map(TABLES.map((t) => [t.name, t]))
  const workflow = newClaimWorkflow({
    table: 'claims',
    actions: [{ name: 't', do: 'email', to: [{ field: 'owner' }], subject: 'Claim {{ claim.number }}', body: '{% if claim.owner %}{{ claim.owner.name }}{% endif %}' }],
  })
  expect(forTable(workflow, 'defects', schema, 'Copy')).toMatchObject({
    name: 'Copy',
    table: 'defects',
    actions: [{ subject: 'Claim {{ defect.number }}', body: '{% if defect.owner %}{{ defect.owner.name }}{% endif %}' }],
  })
})
