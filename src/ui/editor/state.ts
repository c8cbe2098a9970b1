import { type Clause, type Condition, isClause } from '@/core/conditions/clause'
import type { EmailAction, Workflow } from '@/core/workflow/document'
import { valueAt, withValue } from '@/core/workflow/pointer'

/** What is being edited: the document, what it was before each edit, and which line is chosen and open. */
export interface EditorState {
  readonly document: Workflow
  readonly past: readonly Workflow[]
  readonly future: readonly Workflow[]
  /** JSON Pointer of the chosen line. */
  readonly chosen: string
  readonly open: string | null
  /** The last edit, so that typing in one place is undone in one step. */
  readonly last: { readonly path: string; readonly at: number } | null
}

export type Edit =
  | { do: 'put'; path: string; value: unknown; at: number }
  | { do: 'remove'; path: string }
  | { do: 'add clause' }
  | { do: 'add email' }
  | { do: 'choose'; path: string }
  | { do: 'open'; path: string }
  | { do: 'fold' }
  | { do: 'undo' }
  | { do: 'redo' }

const TYPING_MS = 1_000
const KEPT_STEPS = 200

/** A state to begin with. */
export function startEditing(document: Workflow, open: string | null): EditorState {
  return { document, past: [], future: [], chosen: open ?? '/cue', open, last: null }
}

/** Applies one edit; pure. */
export function edit(state: EditorState, e: Edit): EditorState {
  switch (e.do) {
    case 'put':
      return put(state, e.path, e.value, e.at)
    case 'remove':
      return remove(state, e.path)
    case 'add clause':
      return addClause(state)
    case 'add email':
      return addEmail(state)
    case 'choose':
      return { ...state, chosen: e.path }
    case 'open':
      return { ...state, chosen: e.path, open: e.path }
    case 'fold':
      return { ...state, open: null }
    case 'undo':
      return step(state, 'past', 'future')
    case 'redo':
      return step(state, 'future', 'past')
  }
}

function changed(state: EditorState, document: Workflow, last: EditorState['last'] = null): EditorState {
  return { ...state, document, past: [...state.past, state.document].slice(-KEPT_STEPS), future: [], last }
}

function put(state: EditorState, path: string, value: unknown, at: number): EditorState {
  const document = withValue(state.document, path, value)
  const isTyping = state.last?.path === path && at - state.last.at < TYPING_MS
  return isTyping ? { ...state, document, future: [], last: { path, at } } : changed(state, document, { path, at })
}

function step(state: EditorState, from: 'past' | 'future', to: 'past' | 'future'): EditorState {
  const stack = state[from]
  const document = stack[stack.length - 1]
  if (!document) return state
  const isStill = (path: string) => valueAt(document, path) !== undefined
  return {
    ...state,
    document,
    [from]: stack.slice(0, -1),
    [to]: [...state[to], state.document],
    open: state.open !== null && isStill(state.open) ? state.open : null,
    chosen: isStill(state.chosen) ? state.chosen : '/cue',
    last: null,
  }
}

/** The condition as a joint with clauses under it, so that one more can be added. */
function jointOf(conditions: Condition | undefined): { joint: 'all' | 'any' | 'none'; children: Condition[] } {
  if (!conditions) return { joint: 'all', children: [] }
  if (isClause(conditions)) return { joint: 'all', children: [conditions] }
  const [joint, children] = Object.entries(conditions)[0] as ['all' | 'any' | 'none', Condition[]]
  return { joint, children }
}

function addClause(state: EditorState): EditorState {
  const { joint, children } = jointOf(state.document.conditions)
  const clause: Clause = { field: '', op: 'is' }
  const conditions = { [joint]: [...children, clause] } as unknown as Condition
  const path = `/conditions/${joint}/${children.length}`
  return { ...changed(state, { ...state.document, conditions }), chosen: path, open: path }
}

function addEmail(state: EditorState): EditorState {
  const { actions } = state.document
  const names = new Set(actions.map((a) => a.name))
  let n = actions.length + 1
  while (names.has(`email ${n}`)) n++
  const action: EmailAction = { name: `email ${n}`, do: 'email', to: [], subject: '', body: '', format: 'plain' }
  const path = `/actions/${actions.length}`
  return { ...changed(state, { ...state.document, actions: [...actions, action] }), chosen: path, open: path }
}

/** Removes a line; a condition whose last clause goes, goes too. */
function remove(state: EditorState, path: string): EditorState {
  if (path === '/cue') return state
  let document = withValue(state.document, path, undefined)
  if (path.startsWith('/conditions') && document.conditions) {
    const { joint, children } = jointOf(document.conditions)
    document = children.length ? { ...document, conditions: { [joint]: children } as unknown as Condition } : withoutConditions(document)
  }
  return { ...changed(state, document), open: null, chosen: '/cue' }
}

function withoutConditions({ conditions: _, ...rest }: Workflow): Workflow {
  return rest
}
