import { type Condition, isClause, jointOf } from '@/core/document/condition'
import type { Action, BringIn, Workflow } from '@/core/document/document'
import { pointerNames, valueAt, withValue } from '@/core/document/pointer'
import { must } from '@/core/must'

/** What a movable line is: lines move, and are pasted, among their like. */
export type LineKind = 'condition' | 'bring in' | 'value' | 'action' | 'branch'

export interface Item {
  readonly kind: LineKind
  readonly value: unknown
}

/** A document after an operation, and where the line it was about now stands. */
export interface Moved {
  readonly document: Workflow
  readonly path: string
}

type Joint = 'all' | 'any' | 'none'
const JOINTS: readonly string[] = ['all', 'any', 'none']

/** What kind of line a pointer points at; null for those that do not move: the cue, the conditions as a whole, otherwise. */
export function kindAt(path: string): LineKind | null {
  const names = pointerNames(path)
  const last = names[names.length - 1]
  const list = names[names.length - 2]
  if (list === undefined || !/^\d+$/.test(must(last))) return null
  if (JOINTS.includes(list)) return 'condition'
  if (list === 'bringIn') return 'bring in'
  if (list === 'values') return 'value'
  if (list === 'branches') return 'branch'
  return list === 'actions' || list === 'otherwise' ? 'action' : null
}

/** The list that a line stands in, and its place there. */
function placeOf(path: string): { list: string; index: number } {
  const cut = path.lastIndexOf('/')
  return { list: path.slice(0, cut), index: Number(path.slice(cut + 1)) }
}

const listAt = <T = unknown>(document: Workflow, list: string): readonly T[] => valueAt<T[]>(document, list) ?? []

function spliced(document: Workflow, list: string, index: number, count: number, ...items: unknown[]): Workflow {
  const next = [...listAt(document, list)]
  next.splice(index, count, ...items)
  return withValue(document, list, next)
}

/** Puts an item at a place of a list. */
export function insertAt(document: Workflow, list: string, index: number, value: unknown): Moved {
  return { document: spliced(document, list, index, 0, value), path: `${list}/${index}` }
}

/** Takes a line away; groups of conditions that become empty go with it, and lists that do not have to be there. */
export function removeAt(document: Workflow, path: string): Workflow {
  if (path === '/conditions') return without(document, 'conditions')
  if (path.startsWith('/limits/')) {
    const next = withValue(document, path, undefined)
    return Object.keys(next.limits ?? {}).length > 0 ? next : withValue(next, '/limits', undefined)
  }
  const { list, index } = placeOf(path)
  if (kindAt(path) === null) return path === '/cue' ? document : withValue(document, path, undefined)
  const next = spliced(document, list, index, 1)
  if (listAt(next, list).length > 0) return next
  if (list === '/bringIn' || list === '/values') return without(next, list === '/bringIn' ? 'bringIn' : 'values')
  return kindAt(path) === 'condition' ? removeAt(next, list.slice(0, list.lastIndexOf('/'))) : next
}

function without(document: Workflow, part: 'conditions' | 'bringIn' | 'values'): Workflow {
  const { [part]: _, ...rest } = document
  return rest
}

/** Moves a line one up or down among those it stands with; null where it cannot go further. */
export function moveBy(document: Workflow, path: string, step: 1 | -1): Moved | null {
  if (kindAt(path) === null) return null
  const { list, index } = placeOf(path)
  const items = listAt(document, list)
  const to = index + step
  if (to < 0 || to >= items.length) return null
  const next = spliced(spliced(document, list, index, 1), list, to, 0, items[index])
  return { document: next, path: `${list}/${to}` }
}

/** Moves a line before another of its kind, wherever that stands; null where it would go into itself, or is of another kind. */
export function moveBefore(document: Workflow, path: string, target: string): Moved | null {
  if (kindAt(path) === null || kindAt(path) !== kindAt(target) || target === path || target.startsWith(`${path}/`)) return null
  const value = valueAt(document, path)
  const marked = spliced(document, placeOf(target).list, placeOf(target).index, 0, MARK)
  const there = shifted(path, target)
  const cleaned = removeAt(marked, there)
  const at = findMark(cleaned)
  return at === null ? null : { document: withValue(cleaned, at, value), path: at }
}

/** Stands in a document for what is about to be put there. */
const MARK = { field: '\u0000mark', op: 'is' } as const

/** Where a line is after one more was put in at another's place. */
function shifted(path: string, inserted: string): string {
  const { list, index } = placeOf(inserted)
  if (!path.startsWith(`${list}/`)) return path
  const [own, ...rest] = path.slice(list.length + 1).split('/')
  return Number(own) >= index ? [list, Number(own) + 1, ...rest].join('/') : path
}

function findMark(node: unknown, path = ''): string | null {
  if (node === MARK) return path
  if (typeof node !== 'object' || node === null) return null
  for (const [name, child] of Object.entries(node)) {
    const found = findMark(child, `${path}/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`)
    if (found !== null) return found
  }
  return null
}

/** Puts a line one level further in: a condition into a group with its neighbour's, an action into the repetition or branch before it; null where there is none. */
export function indent(document: Workflow, path: string): Moved | null {
  const { list, index } = placeOf(path)
  const items = listAt(document, list)
  const value = items[index]
  const kind = kindAt(path)
  if (kind === 'condition') return indentCondition(document, list, index, must(listAt<Condition>(document, list)[index]))
  if (kind !== 'action') return null
  const before = listAt<Action>(document, list)[index - 1]
  const inner = before && innerList(before, `${list}/${index - 1}`)
  if (!inner) return null
  const taken = spliced(document, list, index, 1)
  return insertAt(taken, inner, listAt(taken, inner).length, value)
}

function indentCondition(document: Workflow, list: string, index: number, value: Condition): Moved {
  const before = listAt<Condition>(document, list)[index - 1]
  if (before && !isClause(before)) {
    const joint = jointOf(before)[0]
    const inner = `${list}/${index - 1}/${joint}`
    const taken = spliced(document, list, index, 1)
    return insertAt(taken, inner, listAt(taken, inner).length, value)
  }
  const joint: Joint = list.endsWith('/any') ? 'all' : 'any'
  return { document: withValue(document, `${list}/${index}`, { [joint]: [value] }), path: `${list}/${index}/${joint}/0` }
}

/** The list inside an action that more actions can stand in: a repetition's, or the last of a choice's. */
export function innerList(action: Action, path: string): string | null {
  if (action.do === 'each') return `${path}/actions`
  if (action.do !== 'choose') return null
  return action.otherwise ? `${path}/otherwise` : `${path}/branches/${action.branches.length - 1}/actions`
}

/** Takes a line one level further out, to stand after what it stood in; null where it stands outermost. */
export function outdent(document: Workflow, path: string): Moved | null {
  const kind = kindAt(path)
  if (kind !== 'condition' && kind !== 'action') return null
  const names = pointerNames(path)
  let depth = names.length - 2
  while (depth > 0 && kindAt(`/${names.slice(0, depth).join('/')}`) !== kind) depth--
  if (depth <= 0) return null
  const holder = placeOf(`/${names.slice(0, depth).join('/')}`)
  const put = insertAt(document, holder.list, holder.index + 1, valueAt(document, path))
  const cleaned = removeAt(put.document, path)
  const isHolderGone = listAt(cleaned, holder.list).length < listAt(put.document, holder.list).length
  return { document: cleaned, path: `${holder.list}/${holder.index + (isHolderGone ? 0 : 1)}` }
}

/** Whether a line can be muted: kept, but passed over. */
export function canMute(document: Workflow, path: string): boolean {
  const kind = kindAt(path)
  const value = valueAt<Condition>(document, path)
  return kind === 'action' || kind === 'bring in' || (kind === 'condition' && value !== undefined && isClause(value))
}

/** Mutes a line, or lets it count again. */
export function toggleMuted(document: Workflow, path: string): Workflow {
  const { muted, ...rest } = must(valueAt<BringIn>(document, path))
  return withValue(document, path, muted ? rest : { ...rest, muted: true })
}

/** Where a new line of a kind goes, when one line is chosen: after it when it is of the kind, else at the end. */
export function placeFor(document: Workflow, kind: LineKind, chosen: string): { list: string; index: number } {
  if (kindAt(chosen) === kind) {
    const { list, index } = placeOf(chosen)
    return { list, index: index + 1 }
  }
  if (kind === 'condition') return placeForCondition(document, chosen)
  if (kind === 'action') return placeForAction(document, chosen)
  const list = kind === 'bring in' ? '/bringIn' : '/values'
  return { list, index: listAt(document, list).length }
}

/** At the end of the group chosen, else of the outermost. */
function placeForCondition(document: Workflow, chosen: string): { list: string; index: number } {
  const group = chosen.startsWith('/conditions') ? valueAt<Condition>(document, chosen) : undefined
  const [at, node] = group && !isClause(group) ? [chosen, group] : ['/conditions', document.conditions]
  if (!node || isClause(node)) return { list: '/conditions/all', index: node ? 1 : 0 }
  return atEnd(document, `${at}/${jointOf(node)[0]}`)
}

function placeForAction(document: Workflow, chosen: string): { list: string; index: number } {
  const names = pointerNames(chosen)
  if (names[0] === 'actions' && names[names.length - 2] === 'branches') return atEnd(document, `${chosen}/actions`)
  if (names[names.length - 1] === 'otherwise') return atEnd(document, chosen)
  return atEnd(document, '/actions')
}

const atEnd = (document: Workflow, list: string) => ({ list, index: listAt(document, list).length })

/** The document with its conditions as a joint, so that lines can be added beside a lone clause. */
export function withJoint(document: Workflow): Workflow {
  const { conditions } = document
  if (!conditions) return { ...document, conditions: { all: [] } }
  return isClause(conditions) ? { ...document, conditions: { all: [conditions] } } : document
}

/** A name for an action that no other has, from a word and a number. */
export function freeActionName(document: Workflow, word: string): string {
  const names = new Set<string>()
  const gather = (actions: readonly Action[]) => {
    for (const action of actions) {
      names.add(action.name)
      if (action.do === 'each') gather(action.actions)
      if (action.do === 'choose') for (const list of [...action.branches.map((b) => b.actions), action.otherwise ?? []]) gather(list)
    }
  }
  gather(document.actions)
  let n = 1
  while (names.has(`${word}_${n}`)) n++
  return `${word}_${n}`
}

/** An action, and those under it, under names of their own in a document. */
export function renamed(document: Workflow, action: Action): Action {
  const name = freeActionName(document, action.name.replace(/_\d+$/, ''))
  const own = { ...action, name }
  const after = { ...document, actions: [...document.actions, own] }
  if (own.do === 'each') return { ...own, actions: own.actions.map((a) => renamed(after, a)) }
  if (own.do !== 'choose') return own
  return {
    ...own,
    branches: own.branches.map((b) => ({ ...b, actions: b.actions.map((a) => renamed(after, a)) })),
    ...(own.otherwise ? { otherwise: own.otherwise.map((a) => renamed(after, a)) } : {}),
  }
}

/** Pastes an item near the chosen line. */
export function paste(document: Workflow, item: Item, chosen: string): Moved {
  const base = item.kind === 'condition' ? withJoint(document) : document
  const { list, index } = placeFor(base, item.kind, chosen)
  return insertAt(base, list, index, item.kind === 'action' ? renamed(base, item.value as Action) : item.value)
}
