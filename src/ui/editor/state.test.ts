import { newClaimWorkflow } from '../../../tests/support/claims'
import { type Edit, type EditorState, edit, startEditing } from './state'

const run = (state: EditorState, ...edits: Edit[]) => edits.reduce(edit, state)
const start = () => startEditing(newClaimWorkflow(), null)

test('adding a condition opens its line', () => {
  const state = run(start(), { do: 'add clause' })
  expect(state).toMatchObject({ open: '/conditions/all/0', chosen: '/conditions/all/0', document: { conditions: { all: [{ field: '', op: 'is' }] } } })
})

test('a lone clause becomes the first of all when another is added', () => {
  const state = startEditing(newClaimWorkflow({ conditions: { field: 'amount', op: 'is filled' } }), null)
  expect(run(state, { do: 'add clause' }).document.conditions).toEqual({
    all: [
      { field: 'amount', op: 'is filled' },
      { field: '', op: 'is' },
    ],
  })
})

test('removing the last clause removes the conditions', () => {
  const state = run(start(), { do: 'add clause' }, { do: 'remove', path: '/conditions/all/0' })
  expect(state.document).toEqual(newClaimWorkflow())
})

test('the cue cannot be removed', () => expect(run(start(), { do: 'remove', path: '/cue' }).document).toEqual(newClaimWorkflow()))

test('undo and redo go through every edit', () => {
  const edited = run(start(), { do: 'put', path: '/name', value: 'A', at: 0 }, { do: 'add email' })
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
  expect(run(start(), { do: 'add email' }, { do: 'undo' })).toMatchObject({ open: null, chosen: '/cue' })
})

test('each email has a name of its own', () => {
  const state = run(start(), { do: 'add email' }, { do: 'add email' })
  expect(new Set(state.document.actions.map((a) => a.name)).size).toBe(3)
})
