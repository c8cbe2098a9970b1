import fc from 'fast-check'
import type { Condition } from '@/core/document/condition'
import type { Action, Workflow } from '@/core/document/document'
import { valueAt } from '@/core/document/pointer'
import { readWorkflow } from '@/core/document/schema'
import { briefOf } from '@/core/words/brief'
import { TABLES } from '@/demo/tables'
import { WORKFLOWS } from '@/demo/workflows'
import { newClaimWorkflow } from '../../../tests/support/claims'
import { ORGANISATION } from '../../../tests/support/core'
import { type Edit, edit, startEditing } from './state'
import { freeActionName, indent, kindAt, moveBefore, moveBy, outdent, paste, placeFor, removeAt, renamed } from './tree'

const clause = (field: string): Condition => ({ field, op: 'is filled' })
const email = (name: string): Action => ({ name, do: 'email', to: [], subject: 'S', body: 'B' })
const conditions = (...all: Condition[]) => newClaimWorkflow({ conditions: { all } })
const [a, b, c] = [clause('amount'), clause('due'), clause('note')]

test('which lines move, and among which', () => {
  expect(
    [
      '/cue',
      '/conditions',
      '/conditions/all/0',
      '/conditions/all/0/any/1',
      '/bringIn/0',
      '/values/2',
      '/actions/0',
      '/actions/0/branches/1',
      '/actions/0/branches/1/actions/0',
      '/actions/0/otherwise/0',
      '/actions/0/otherwise',
    ].map(kindAt),
  ).toEqual([null, null, 'condition', 'condition', 'bring in', 'value', 'action', 'branch', 'action', 'action', null])
})

test('moving by one stays in the list', () => {
  expect(moveBy(conditions(a, b), '/conditions/all/0', 1)).toEqual({ document: conditions(b, a), path: '/conditions/all/1' })
  expect(moveBy(conditions(a, b), '/conditions/all/1', 1)).toBeNull()
  expect(moveBy(conditions(a), '/cue', 1)).toBeNull()
})

test('a condition goes into a group of its own, or into the group before it, and out again', () => {
  const alone = indent(conditions(a, b), '/conditions/all/1')
  expect(alone).toEqual({ document: conditions(a, { any: [b] }), path: '/conditions/all/1/any/0' })
  const joined = indent(conditions({ any: [a] }, b), '/conditions/all/1')
  expect(joined).toEqual({ document: conditions({ any: [a, b] }), path: '/conditions/all/0/any/1' })
  expect(outdent(joined?.document as Workflow, '/conditions/all/0/any/1')).toEqual({ document: conditions({ any: [a] }, b), path: '/conditions/all/1' })
  expect(outdent(alone?.document as Workflow, '/conditions/all/1/any/0')).toEqual({ document: conditions(a, b), path: '/conditions/all/1' })
  expect(outdent(conditions(a), '/conditions/all/0')).toBeNull()
})

test('an action goes into the repetition or branch before it, and out again', () => {
  const each: Action = { name: 'e', do: 'each', of: 'x', as: 'y', actions: [] }
  const choose: Action = { name: 'c', do: 'choose', branches: [{ when: a, actions: [email('in')] }] }
  const inEach = indent(newClaimWorkflow({ actions: [each, email('m')] }), '/actions/1')
  expect(inEach).toEqual({ document: newClaimWorkflow({ actions: [{ ...each, actions: [email('m')] }] }), path: '/actions/0/actions/0' })
  expect(outdent(inEach?.document as Workflow, '/actions/0/actions/0')).toEqual({ document: newClaimWorkflow({ actions: [each, email('m')] }), path: '/actions/1' })
  expect(indent(newClaimWorkflow({ actions: [choose, email('m')] }), '/actions/1')?.path).toBe('/actions/0/branches/0/actions/1')
  expect(outdent(newClaimWorkflow({ actions: [choose] }), '/actions/0/branches/0/actions/0')?.path).toBe('/actions/1')
  expect(indent(newClaimWorkflow({ actions: [email('n'), email('m')] }), '/actions/1')).toBeNull()
})

test('a line dropped on another goes before it, also across groups; never into itself or among another kind', () => {
  const nested = conditions(a, { any: [b, c] })
  expect(moveBefore(nested, '/conditions/all/0', '/conditions/all/1/any/1')).toEqual({ document: conditions({ any: [b, a, c] }), path: '/conditions/all/0/any/1' })
  expect(moveBefore(nested, '/conditions/all/1/any/0', '/conditions/all/0')).toEqual({ document: conditions(b, a, { any: [c] }), path: '/conditions/all/0' })
  expect(moveBefore(nested, '/conditions/all/1', '/conditions/all/1/any/0')).toBeNull()
  expect(moveBefore(nested, '/conditions/all/0', '/actions/0')).toBeNull()
})

test('removing the last of a group removes the group', () => {
  expect(removeAt(conditions(a, { any: [b] }), '/conditions/all/1/any/0')).toEqual(conditions(a))
  expect(removeAt(conditions({ any: [b] }), '/conditions/all/0/any/0')).toEqual(newClaimWorkflow())
  expect(removeAt(newClaimWorkflow({ values: [{ name: 'v', text: '' }] }), '/values/0')).toEqual(newClaimWorkflow())
})

test('a new line goes after the chosen one of its kind, into the chosen branch, or to the end', () => {
  const document = newClaimWorkflow({ conditions: { all: [a, { any: [b] }] }, actions: [email('m'), { name: 'c', do: 'choose', branches: [{ when: a, actions: [] }] }] })
  expect(placeFor(document, 'condition', '/conditions/all/0')).toEqual({ list: '/conditions/all', index: 1 })
  expect(placeFor(document, 'condition', '/conditions/all/1')).toEqual({ list: '/conditions/all', index: 2 })
  expect(placeFor(document, 'condition', '/cue')).toEqual({ list: '/conditions/all', index: 2 })
  expect(placeFor(document, 'action', '/actions/1/branches/0')).toEqual({ list: '/actions/1/branches/0/actions', index: 0 })
  expect(placeFor(document, 'action', '/cue')).toEqual({ list: '/actions', index: 2 })
  expect(placeFor(document, 'bring in', '/cue')).toEqual({ list: '/bringIn', index: 0 })
})

test('pasted actions get names that nothing has, those under them too', () => {
  const each: Action = { name: 'e_1', do: 'each', of: 'x', as: 'y', actions: [email('m')] }
  const document = newClaimWorkflow({ actions: [each] })
  expect(freeActionName(document, 'm')).toBe('m_1')
  expect(renamed(document, each)).toMatchObject({ name: 'e_2', actions: [{ name: 'm_1' }] })
  expect(paste(newClaimWorkflow({ conditions: a }), { kind: 'condition', value: b }, '/cue').document.conditions).toEqual({ all: [a, b] })
})

const EDITS = ['up', 'down', 'indent', 'outdent', 'duplicate', 'mute', 'remove'] as const

// Whatever is done to the lines, the document keeps its shape, its brief can be written, and undoing all of it gives the document back.
test.each(WORKFLOWS.map((w) => [w.workflow.name, w.workflow] as const))('any edits of the lines of “%s” keep its shape, and undo takes them back', (_, workflow) => {
  const wording = { schema: new Map(TABLES.map((t) => [t.name, t])), organisation: ORGANISATION, names: new Map<string, string>() }
  const linesOf = (document: Workflow) => briefOf(document, wording).map((l) => l.path)
  fc.assert(
    fc.property(fc.array(fc.tuple(fc.constantFrom(...EDITS), fc.nat(40)), { maxLength: 12 }), (steps) => {
      expect(linesOf(workflow).length).toBeGreaterThan(1)
      let state = startEditing(workflow, null)
      let done = 0
      for (const [what, at] of steps) {
        const paths = linesOf(state.document).filter((p) => kindAt(p) !== null)
        const path = paths[at % Math.max(1, paths.length)]
        if (path === undefined || (what === 'mute' && kindAt(path) !== 'action')) continue
        const next = edit(state, { do: what, path } as Edit)
        if (next.document !== state.document) done++
        state = next
        const { conditions: _c, ...rest } = state.document
        expect(readWorkflow(state.document.conditions ? state.document : rest)).not.toHaveProperty('problems')
        if (state.chosen !== '/cue') expect(valueAt(state.document, state.chosen)).toBeDefined()
      }
      for (let i = 0; i < done; i++) state = edit(state, { do: 'undo' })
      expect(state.document).toEqual(workflow)
    }),
    { numRuns: 25 },
  )
})
