import { newClaimWorkflow } from '../../../tests/support/claims'
import { type Edit, type EditorState, edit, NEW_CLAUSE, newEmail, startEditing } from './state'

const run = (state: EditorState, ...edits: Edit[]) => edits.reduce(edit, state)
const ADD_CLAUSE: Edit = { do: 'add', kind: 'condition', value: NEW_CLAUSE }
const ADD_EMAIL: Edit = { do: 'add', kind: 'action', value: newEmail('email_9', null) }
const start = () => startEditing(newClaimWorkflow(), null)

test('adding a condition opens its line', () => {
  const state = run(start(), ADD_CLAUSE)
  expect(state).toMatchObject({ open: '/conditions/all/0', chosen: '/conditions/all/0', document: { conditions: { all: [{ field: '', op: 'is' }] } } })
})

test('a lone clause becomes the first of all when another is added', () => {
  const state = startEditing(newClaimWorkflow({ conditions: { field: 'amount', op: 'is filled' } }), null)
  expect(run(state, ADD_CLAUSE).document.conditions).toEqual({
    all: [
      { field: 'amount', op: 'is filled' },
      { field: '', op: 'is' },
    ],
  })
})

test('removing the last clause removes the conditions', () => {
  const state = run(start(), ADD_CLAUSE, { do: 'remove', path: '/conditions/all/0' })
  expect(state.document).toEqual(newClaimWorkflow())
})

test('the cue cannot be removed', () => expect(run(start(), { do: 'remove', path: '/cue' }).document).toEqual(newClaimWorkflow()))

test('undo and redo go through every edit', () => {
  const edited = run(start(), { do: 'put', path: '/name', value: 'A', at: 0 }, ADD_EMAIL)
  expect(run(edited, { do: 'undo' }).document).toEqual(newClaimWorkflow({ name: 'A' }))
  expect(run(edited, { do: 'undo' }, { do: 'undo' }).document).toEqual(newClaimWorkflow())
  expect(run(edited, { do: 'undo' }, { do: 'undo' }, { do: 'redo' }, { do: 'redo' }).document).toEqual(edited.document)
  expect(run(start(), { do: 'undo' })).toEqual(start())
})

test('typing in one place is one step; another place or a pause begins the next', () => {
  const typed = run(start(), ...['N', 'Ne', 'New'].map((value, i): Edit => ({ do: 'put', path: '/name', value, at: i * 100 })))
  expect(typed.past).toHaveLength(1)
  expect(run(typed, { do: 'put', path: '/name', value: 'Newer', at: 5_000 }).past).toHaveLength(2)
})

test('undo closes a line that is no longer there', () => {
  expect(run(start(), ADD_EMAIL, { do: 'undo' })).toMatchObject({ open: null, chosen: '/cue' })
})

test('a line that is doubled or pasted has a name of its own, and stands after the chosen one', () => {
  const state = run(start(), { do: 'duplicate', path: '/actions/0' }, { do: 'paste', kind: 'action', value: start().document.actions[0] })
  expect(state.document.actions.map((a) => a.name)).toEqual(['tell the owner', 'tell the owner_1', 'tell the owner_2'])
  expect(state.chosen).toBe('/actions/2')
})

test('a line that moves stays chosen, and open if it was', () => {
  const two = run(start(), ADD_EMAIL)
  expect(run(two, { do: 'up', path: '/actions/1' })).toMatchObject({ chosen: '/actions/0', open: '/actions/0' })
  expect(run(two, { do: 'fold' }, { do: 'up', path: '/actions/1' })).toMatchObject({ chosen: '/actions/0', open: null })
  expect(run(two, { do: 'up', path: '/actions/0' }).document).toBe(two.document)
})

test('muting keeps a line, and muting again lets it count', () => {
  const muted = run(start(), { do: 'mute', path: '/actions/0' })
  expect(muted.document.actions[0]).toMatchObject({ muted: true })
  expect(run(muted, { do: 'mute', path: '/actions/0' }).document).toEqual(newClaimWorkflow())
})
