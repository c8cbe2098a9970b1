import { type Clause, isClause } from '../conditions/clause'
import { clauseSentence, type Wording } from '../conditions/sentence'
import { checkPath, pathWords } from '../paths/path'
import { rootOf } from '../recipients/recipients'
import type { TableDef } from '../values/tables'
import type { Action, Condition, EmailAction, Recipient, RecordCue, Workflow } from './document'

/** One numbered line of a brief. */
export interface Line {
  /** `2.1` */
  readonly number: string
  /** The role word, shown in small capitals. */
  readonly role: string
  /** The statement in words. */
  readonly words: string
  /** A second, quieter line: the message's subject and what else belongs to it. */
  readonly detail?: string
  /** JSON Pointer of what the line says, in the document. */
  readonly path: string
  readonly kind: 'cue' | 'conditions' | 'clause' | 'bring in' | 'value' | 'action' | 'limit'
  readonly depth: number
  readonly muted: boolean
}

/** Writes a workflow out as the numbered lines of its brief; reading them is reading the workflow. */
export function briefOf(workflow: Workflow, wording: Wording): Line[] {
  const table = wording.schema.get(workflow.table)
  const lines: Line[] = []
  const top = () => String(lines.filter((l) => l.depth === 0).length + 1)
  lines.push({ number: top(), role: 'cue', words: cueWords(workflow, table, wording), path: '/cue', kind: 'cue', depth: 0, muted: false })
  if (!table) return lines
  if (workflow.conditions) addConditions(workflow.conditions, workflow, table, wording, lines, top())
  workflow.bringIn?.forEach((b, i) => {
    const words = b.link ? `${b.link}, as ${b.name}` : `${b.list} of the ${b.of ?? table.singular}, as ${b.name}`
    lines.push({ number: top(), role: 'bring', words, path: `/bringIn/${i}`, kind: 'bring in', depth: 0, muted: b.muted ?? false })
  })
  workflow.values?.forEach((v, i) => {
    lines.push({
      number: top(),
      role: 'value',
      words: `${v.name} is ${v.formula ? `= ${v.formula}` : (v.text ?? '')}`,
      path: `/values/${i}`,
      kind: 'value',
      depth: 0,
      muted: false,
    })
  })
  addActions(workflow.actions, '/actions', '', 0, table, wording, lines)
  if (workflow.limits?.spacing) {
    const { per, every } = workflow.limits.spacing
    lines.push({ number: top(), role: 'limit', words: `no more often than one per ${per} in ${every}`, path: '/limits/spacing', kind: 'limit', depth: 0, muted: false })
  }
  return lines
}

const ARTICLES = /^[aeiou]/i

/** A noun with its article: "a claim", "an item". */
export function withArticle(noun: string): string {
  return `${ARTICLES.test(noun) ? 'an' : 'a'} ${noun}`
}

/** What the workflow waits for, in words. */
export function cueWords(workflow: Workflow, table: TableDef | undefined, wording: Wording): string {
  const { cue } = workflow
  const noun = withArticle(table?.singular ?? (workflow.table || 'record'))
  if (cue.kind === 'figure') return `the figure ${cue.figure} crosses ${cue.threshold}`
  if (cue.kind === 'timetable') return `by the clock, ${cue.cron}`
  if (cue.kind === 'by hand') return `by hand, on ${noun}`
  const fields = cue.fields?.length ? ` in ${cue.fields.map((f) => table?.fields.find((d) => d.name === f)?.label.toLowerCase() ?? f).join(' or ')}` : ''
  return `${noun} is ${cue.on.join(' or ')}${fields}, ${whoseWords(cue, wording)}`
}

function whoseWords(cue: RecordCue, wording: Wording): string {
  if (!cue.whose) return 'anyone’s'
  return 'team' in cue.whose ? `the team ${cue.whose.team}’s` : `${wording.names.get(cue.whose.person.toLowerCase()) ?? cue.whose.person}’s`
}

const JOINTS = { all: 'all of these hold', any: 'any of these holds', none: 'none of these holds' } as const

function addConditions(conditions: Condition, workflow: Workflow, table: TableDef, wording: Wording, lines: Line[], number: string): void {
  const becomes = workflow.firing !== 'every' && workflow.cue.kind === 'record' && workflow.cue.on.includes('changed')
  const suffix = becomes ? ', as they did not before' : workflow.firing === 'every' ? ', every time' : ''
  const node = isClause(conditions) ? { all: [conditions] } : conditions
  const path = '/conditions'
  const [joint, children] = Object.entries(node)[0] as [keyof typeof JOINTS, Condition[]]
  lines.push({ number, role: becomes ? 'becomes' : 'where', words: `${JOINTS[joint]}${suffix}`, path, kind: 'conditions', depth: 0, muted: false })
  const base = isClause(conditions) ? null : `${path}/${joint}`
  children.forEach((child, i) => {
    addCondition(child, base === null ? path : `${base}/${i}`, `${number}.${i + 1}`, 1, table, wording, lines)
  })
}

function addCondition(node: Condition, path: string, number: string, depth: number, table: TableDef, wording: Wording, lines: Line[]): void {
  if (isClause(node)) {
    lines.push(clauseLine(node, path, number, depth, table, wording))
    return
  }
  const [joint, children] = Object.entries(node)[0] as [keyof typeof JOINTS, Condition[]]
  lines.push({ number, role: '', words: JOINTS[joint], path, kind: 'conditions', depth, muted: false })
  children.forEach((child, i) => {
    addCondition(child, `${path}/${joint}/${i}`, `${number}.${i + 1}`, depth + 1, table, wording, lines)
  })
}

function clauseLine(clause: Clause, path: string, number: string, depth: number, table: TableDef, wording: Wording): Line {
  return { number, role: '', words: clauseSentence(clause, table, wording), path, kind: 'clause', depth, muted: clause.muted ?? false }
}

function addActions(actions: readonly Action[], base: string, prefix: string, depth: number, table: TableDef, wording: Wording, lines: Line[]): void {
  actions.forEach((action, i) => {
    const siblings = lines.filter((l) => l.depth === 0).length
    const number = depth === 0 ? String(siblings + 1) : `${prefix}.${i + 1}`
    const path = `${base}/${i}`
    const line = { number, path, kind: 'action' as const, depth, muted: action.muted ?? false }
    lines.push({ ...line, ...actionWords(action, table, wording) })
    if (action.do === 'each') addActions(action.actions, `${path}/actions`, number, depth + 1, table, wording, lines)
    if (action.do === 'choose')
      action.branches.forEach((branch, b) => {
        addActions(branch.actions, `${path}/branches/${b}/actions`, `${number}.${b + 1}`, depth + 1, table, wording, lines)
      })
  })
}

function actionWords(action: Action, table: TableDef, wording: Wording): Pick<Line, 'role' | 'words' | 'detail'> {
  switch (action.do) {
    case 'email':
      return { role: 'email', words: emailWords(action, table, wording), detail: emailDetail(action) }
    case 'notice':
      return { role: 'notice', words: action.channel ? `to the channel ${action.channel}` : 'to people', detail: action.title ?? action.text }
    case 'update':
      return { role: 'update', words: `the ${action.target ?? table.singular}: ${Object.keys(action.set).join(', ')}` }
    case 'create':
      return { role: 'create', words: withArticle(action.table) }
    case 'task':
      return { role: 'task', words: `for ${action.owner ?? 'nobody'}`, detail: action.subject }
    case 'choose':
      return { role: 'choose', words: `among ${action.branches.length} branches` }
    case 'each':
      return { role: 'each', words: `${action.as} of ${action.of}` }
  }
}

function emailWords(action: EmailAction, table: TableDef, wording: Wording): string {
  const to = action.to.map((r) => recipientWords(r, table, wording)).join(' and ') || 'nobody yet'
  const cc = action.cc?.length ? `, copy to ${action.cc.map((r) => recipientWords(r, table, wording)).join(' and ')}` : ''
  return `${to}${cc}${action.delivery === 'each' ? ', one each' : ''}`
}

function emailDetail(action: EmailAction): string {
  const parts = [action.template ? `template ${action.template}` : `“${action.subject?.trim() || 'no subject yet'}”`]
  if (action.priority && action.priority !== 'normal') parts.push(action.priority)
  return parts.join(' · ')
}

/** A recipient entry in words: "its owner", "its previous owner", "the group Claims desk". */
export function recipientWords(entry: Recipient, table: TableDef, wording: Wording): string {
  if ('list' in entry) return `the ${entry.field} of each of ${entry.list}`
  if ('address' in entry) return entry.address || '…'
  if ('group' in entry) return `the group ${entry.group || '…'}`
  if ('team' in entry) return `the team ${entry.team || '…'}`
  if ('changedBy' in entry) return 'whoever made the change'
  if ('text' in entry) return `addresses in ${entry.text}`
  const path = 'managerOf' in entry ? entry.managerOf : entry.field
  const { root, rest } = rootOf(path, table)
  const checked = checkPath(wording.schema, table, rest)
  const words = 'problem' in checked ? path || '…' : pathWords(checked)
  const phrase = root === 'before' ? `its previous ${words}` : `its ${words}`
  return 'managerOf' in entry ? `the manager of ${phrase}` : phrase
}
