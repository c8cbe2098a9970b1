import type { Clause } from '@/core/document/condition'
import type { EmailAction, Workflow } from '@/core/document/document'
import { valueAt, withValue } from '@/core/document/pointer'
import { indent, insertAt, type LineKind, type Moved, moveBefore, moveBy, outdent, paste, placeFor, removeAt, toggleMuted, withJoint } from './tree'

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
  /** Rises whenever the focus is to go to the chosen line: after it has moved, or another took its place. */
  readonly landings: number
}

export type Edit =
  | { do: 'put'; path: string; value: unknown; at: number }
  | { do: 'add'; kind: LineKind; value: unknown; at?: { list: string; index: number } }
  | { do: 'paste'; kind: LineKind; value: unknown }
  | { do: 'remove' | 'mute' | 'indent' | 'outdent' | 'up' | 'down' | 'duplicate' | 'choose' | 'open'; path: string }
  | { do: 'move before'; path: string; target: string }
  | { do: 'replace'; document: Workflow }
  /** Takes a document with lines that were said; the last of them is chosen, and opened where it is the only one. */
  | { do: 'said'; document: Workflow; path: string; open: boolean }
  | { do: 'fold' | 'undo' | 'redo' }

const TYPING_MS = 1_000
const KEPT_STEPS = 200

/** A state to begin with. */
export function startEditing(document: Workflow, open: string | null): EditorState {
  return { document, past: [], future: [], chosen: open ?? '/cue', open, last: null, landings: 0 }
}

/** Applies one edit; pure. */
export function edit(state: EditorState, e: Edit): EditorState {
  switch (e.do) {
    case 'put':
      return put(state, e.path, e.value, e.at)
    case 'add':
      return add(state, e.kind, e.value, e.at)
    case 'paste':
      return landed(state, paste(state.document, e, state.chosen))
    case 'remove':
      return remove(state, e.path)
    case 'mute':
      return changed(state, toggleMuted(state.document, e.path))
    case 'indent':
      return landed(state, indent(state.document, e.path))
    case 'outdent':
      return landed(state, outdent(state.document, e.path))
    case 'up':
      return landed(state, moveBy(state.document, e.path, -1))
    case 'down':
      return landed(state, moveBy(state.document, e.path, 1))
    case 'move before':
      return landed(state, moveBefore(state.document, e.path, e.target))
    case 'duplicate':
      return duplicate(state, e.path)
    case 'replace':
      return { ...changed(state, e.document), chosen: '/cue', open: null }
    case 'said':
      return { ...changed(state, e.document), chosen: e.path, open: e.open ? e.path : null }
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

/** After a line has moved: it stays chosen where it now stands, and open if it was. */
function landed(state: EditorState, moved: Moved | null): EditorState {
  if (!moved) return state
  return { ...changed(state, moved.document), landings: state.landings + 1, chosen: moved.path, open: state.open === state.chosen && state.open !== null ? moved.path : null }
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

function add(state: EditorState, kind: LineKind, value: unknown, at?: { list: string; index: number }): EditorState {
  const base = kind === 'condition' && !at ? withJoint(state.document) : state.document
  const { list, index } = at ?? placeFor(base, kind, state.chosen)
  const { document, path } = insertAt(base, list, index, value)
  return { ...changed(state, document), chosen: path, open: path }
}

function duplicate(state: EditorState, path: string): EditorState {
  const chosen = { ...state, chosen: path }
  const value = valueAt(state.document, path)
  return isActionPath(path) ? landed(chosen, paste(state.document, { kind: 'action', value }, path)) : insertAfter(chosen, path, value)
}

const isActionPath = (path: string) => /\/(actions|otherwise)\/\d+$/.test(path)

function insertAfter(state: EditorState, path: string, value: unknown): EditorState {
  const cut = path.lastIndexOf('/')
  return landed(state, insertAt(state.document, path.slice(0, cut), Number(path.slice(cut + 1)) + 1, value))
}

/** Removes a line; a condition whose last clause goes, goes too. The choice falls on the line that takes its place. */
function remove(state: EditorState, path: string): EditorState {
  if (path === '/cue') return state
  const document = removeAt(state.document, path)
  const cut = path.lastIndexOf('/')
  const before = `${path.slice(0, cut)}/${Math.max(0, Number(path.slice(cut + 1)) - 1)}`
  const next = [path, before].find((p) => valueAt(document, p) !== undefined) ?? '/cue'
  return { ...changed(state, document), landings: state.landings + 1, open: null, chosen: next }
}

/** A clause that is still to be filled in. */
export const NEW_CLAUSE: Clause = { field: '', op: 'is' }

/** An email that is still to be filled in; to the one address that there may be, where there is only one. */
export function newEmail(name: string, onlyTo: string | null): EmailAction {
  return { name, do: 'email', to: onlyTo ? [{ address: onlyTo }] : [], subject: '', body: '', format: 'plain' }
}
