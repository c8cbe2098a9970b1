import { type Condition, isClause, joined } from '../../document/condition'
import type { Action, Workflow } from '../../document/document'
import { valueAt, withValue } from '../../document/pointer'
import { readWorkflow } from '../../document/schema'
import { membersOf } from '../../must'
import { type Deeds, noDeeds } from '../read/deeds'
import type { Installation } from '../read/installation'
import type { Unread } from '../read/reader'
import { readDetail } from './details'
import { EXACTLY, memberOf } from './members'
import { type Node, nodesOf } from './nodes'
import { isEveryTime, jointSaid, nounIn, type Said, saidAction, saidBring, saidCondition, saidCue, saidLimit, saidValue } from './parts'

/** What was read of a brief's text. */
export interface ReadText {
  /** Null where there is no cue, or what comes out is no workflow. */
  readonly workflow: Workflow | null
  readonly unread: readonly Unread[]
}

interface Progress {
  workflow: Workflow
  readonly unread: Unread[]
  readonly deeds: Deeds
  readonly installation: Installation
}

/** Reads a brief that is written as text, line by line; lines that are not understood are marked and left out. */
export function readBriefText(text: string, installation: Installation): ReadText {
  const root = nodesOf(text)
  const head = detailsOf(root, '')
  if (head[EXACTLY] !== undefined) return ofShape(head[EXACTLY], [])
  const cueNode = root.children.find((n) => n.role === 'cue')
  const progress: Progress = {
    workflow: { rappel: 'workflow/1', name: String(head.workflow ?? 'New workflow'), table: '', cue: { kind: 'record', on: ['created'] }, actions: [] },
    unread: [],
    deeds: noDeeds(),
    installation,
  }
  if (!cueNode)
    return { workflow: null, unread: [{ from: 0, to: text.split('\n')[0]?.length ?? 0, message: 'There is no line CUE, which says what is waited for.', could: ['CUE'] }] }
  for (const member of ['note', 'refire', 'examples', 'firing', 'bringIn', 'values', 'limits'] as const)
    if (head[member] !== undefined) progress.workflow = { ...progress.workflow, [member]: head[member] }
  const cue = cueIn(cueNode, progress)
  if (!cue) return { workflow: null, unread: progress.unread }
  progress.workflow = { ...progress.workflow, ...cue }
  for (const node of root.children) if (node !== cueNode) readNode(node, progress)
  return ofShape(progress.workflow, progress.unread)
}

/** The table and cue of the line CUE, with what stands under it. */
function cueIn(node: Node, progress: Progress): Pick<Workflow, 'table' | 'cue'> | null {
  const { [EXACTLY]: exact, table: named, ...more } = detailsOf(node, 'cue')
  const { installation } = progress
  const read = exactOr(node, saidCue(node.words, installation, installation.schema.get(String(named ?? '')) ?? null), progress)
  if (!read || exact !== undefined) return read
  const members = Object.entries({ ...read.cue, ...more }).filter(([, value]) => value !== undefined)
  return { table: named === undefined ? read.table : String(named), cue: asPart(members) }
}

/** A document of the right shape, or none. */
function ofShape(given: unknown, unread: readonly Unread[]): ReadText {
  const read = readWorkflow(given)
  if ('workflow' in read) return { workflow: read.workflow, unread }
  return { workflow: null, unread: [...unread, { from: 0, to: 0, message: read.problems.map((p) => p.message).join(' '), could: [] }] }
}

/** The members that stand under a line. */
function detailsOf(node: Node, role: string): Record<string, unknown> {
  return Object.fromEntries(
    [...node.details].map(([called, value]) => [memberOf(called, role), typeof value === 'string' ? (value === 'none' ? undefined : readDetail(value)) : value.block]),
  )
}

/** What a line says, unless it is given exactly; what was not understood is marked where it stands in the text. */
function exactOr<T>(node: Node, said: Said<T>, progress: Progress): T | null {
  const exact = detailsOf(node, node.role)[EXACTLY]
  if (exact !== undefined) return exact as T // the whole document is held against its shape at the end
  if (!said.isClear) progress.unread.push(...said.unread().map((u) => ({ ...u, from: u.from + node.from, to: u.to + node.from })))
  if (said.is === null && said.isClear) progress.unread.push({ from: node.from, to: node.from + node.words.length, message: 'This line was not understood.', could: [] })
  return said.is
}

function readNode(node: Node, progress: Progress): void {
  const { workflow, installation } = progress
  switch (node.role) {
    case 'becomes':
    case 'where': {
      const conditions = readConditions(node, progress)
      progress.workflow = { ...progress.workflow, ...(conditions ? { conditions } : {}), ...(isEveryTime(node.words) ? { firing: 'every' } : {}) }
      return
    }
    case 'bring': {
      const pointer = `/bringIn/${workflow.bringIn?.length ?? 0}`
      const bring = withMembers(node, saidBring(node.words, workflow, pointer, installation), progress)
      if (bring) progress.workflow = { ...workflow, bringIn: [...(workflow.bringIn ?? []), bring] }
      return
    }
    case 'value': {
      const value = withMembers(node, saidValue(node.words), progress)
      if (value) progress.workflow = { ...workflow, values: [...(workflow.values ?? []), value] }
      return
    }
    case 'limit': {
      const limit = exactOr(node, saidLimit(node.words, nounIn(workflow, installation)), progress)
      const { columns } = detailsOf(node, 'limit')
      const whole = limit?.digest && Array.isArray(columns) ? { digest: { ...limit.digest, columns: columns.map(String) } } : limit
      if (whole) progress.workflow = { ...workflow, limits: { ...workflow.limits, ...whole } }
      return
    }
    default:
      readActionNode(node, '/actions', workflow.actions.length, progress)
  }
}

/** A part of the document with what stands under its line over what its words say. */
function withMembers<T extends object>(node: Node, said: Said<T>, progress: Progress, also: Partial<T> = {}): T | null {
  const details = detailsOf(node, node.role)
  const isAlone = Object.keys(details).length === 0
  if (isAlone && (!said.isClear || said.is === null)) exactOr(node, said, progress)
  if (isAlone && said.is === null) return null
  const { [EXACTLY]: exact, ...more } = details
  const is = exact ?? said.is
  const made = { ...membersOf(is), ...more, ...(node.muted ? { muted: true } : {}), ...also }
  return asPart(Object.entries(made).filter(([, value]) => value !== undefined))
}

/** A part of the document from its members; the whole document is held against its shape at the end. */
const asPart = <T>(members: readonly (readonly [string, unknown])[]): T => Object.fromEntries(members) as T

function readConditions(node: Node, progress: Progress): Condition | null {
  const joint = jointSaid(node.words)
  const parts = node.children.flatMap((child) => readConditionNode(child, progress))
  const [only] = parts
  if (joint === null && /^this holds\b/.test(node.words)) return only ?? null
  return joined(joint ?? 'all', parts)
}

function readConditionNode(node: Node, progress: Progress): Condition[] {
  const joint = jointSaid(node.words)
  if (joint !== null && node.words.toLowerCase() === node.words && !node.details.has(EXACTLY) && (node.children.length > 0 || node.words.includes('these')))
    return [
      joined(
        joint,
        node.children.flatMap((child) => readConditionNode(child, progress)),
      ),
    ]
  const is = exactOr(node, saidCondition(node.words, progress.workflow, '/conditions', progress.installation), progress)
  return is === null ? [] : [node.muted && isClause(is) ? { ...is, muted: true } : is]
}

const ACTIONS_BY_ROLE: Readonly<Record<string, Action['do']>> = {
  email: 'email',
  notice: 'notice',
  update: 'update',
  create: 'create',
  task: 'task',
  choose: 'choose',
  each: 'each',
}

/** Reads an action and those under it into the workflow, at its place in a list. */
function readActionNode(node: Node, list: string, index: number, progress: Progress): boolean {
  const pointer = `${list}/${index}`
  if (!Object.hasOwn(ACTIONS_BY_ROLE, node.role)) {
    progress.unread.push({
      from: node.from,
      to: node.from + node.words.length,
      message: 'This line says nothing that is done here: begin it with EMAIL, NOTICE, UPDATE, CREATE, TASK, CHOOSE or EACH.',
      could: [],
    })
    return false
  }
  const said = saidAction(node.role, node.words, progress.workflow, pointer, progress.installation, progress.deeds)
  const action = withMembers<Action>(node, said, progress, { do: ACTIONS_BY_ROLE[node.role] })
  if (!action) return false
  if (action.do === 'email') action.to ??= []
  if (action.do === 'notice') action.text ??= ''
  if (action.do === 'each') action.actions = []
  if (action.do === 'choose') action.branches = []
  if (action.name) progress.deeds.names.add(action.name)
  put(progress, list, action)
  if (action.do === 'each') readList(node.children, `${pointer}/actions`, progress)
  if (action.do === 'choose') readBranches(node.children, pointer, progress)
  return true
}

/** Puts a part at the end of a list of the workflow. */
function put(progress: Progress, list: string, part: unknown): void {
  progress.workflow = withValue(progress.workflow, list, [...(valueAt<unknown[]>(progress.workflow, list) ?? []), part])
}

function readList(nodes: readonly Node[], list: string, progress: Progress): void {
  let index = 0
  for (const node of nodes) if (readActionNode(node, list, index, progress)) index++
}

function readBranches(nodes: readonly Node[], pointer: string, progress: Progress): void {
  let n = 0
  for (const node of nodes) {
    if (node.role === 'else') {
      progress.workflow = withValue(progress.workflow, `${pointer}/otherwise`, [])
      readList(node.children, `${pointer}/otherwise`, progress)
      continue
    }
    const at = `${pointer}/branches/${n}`
    const when = exactOr(node, saidCondition(node.words, progress.workflow, at, progress.installation), progress)
    if (!when) continue
    put(progress, `${pointer}/branches`, { when, actions: [] })
    readList(node.children, `${at}/actions`, progress)
    n++
  }
}
