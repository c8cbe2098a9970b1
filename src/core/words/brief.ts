import { clauseSentence, type Wording } from '../conditions/sentence'
import { cueWords } from '../cues/kinds'
import { type Clause, isClause, jointOf } from '../document/condition'
import type { Action, BringIn, Condition, EmailAction, Recipient, Value, Workflow } from '../document/document'
import { ownerEntry } from '../document/task-owner'
import { LIMIT_PARTS, limitWords } from '../limits/words'
import { must, partsOf } from '../must'
import { checkPath, pathWords } from '../paths/path'
import { itsOwn, nounOf, spokenPath, withArticle } from '../values/naming'
import { fieldOf, type TableDef } from '../values/tables'
import { deliveryOf, namesList } from '../workflow/delivery'

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
  readonly kind: 'cue' | 'conditions' | 'clause' | 'bring in' | 'value' | 'action' | 'branch' | 'limit'
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
    lines.push({ number: top(), role: 'bring', words: bringWords(b, table, wording), path: `/bringIn/${i}`, kind: 'bring in', depth: 0, muted: b.muted ?? false })
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
  for (const part of LIMIT_PARTS) {
    const words = limitWords(part, workflow.limits ?? {}, table.singular.replaceAll('_', ' '))
    if (words) lines.push({ number: top(), role: 'limit', words, path: `/limits/${part}`, kind: 'limit', depth: 0, muted: false })
  }
  return lines
}

/** What is brought in, in words: "bookings of the sailing, as guests". */
function bringWords(b: BringIn, table: TableDef, wording: Wording): string {
  if (b.list === 'figure.records') return `the ${table.label.toLowerCase()} behind it${b.limit ? `, at most ${b.limit}` : ''}, as ${b.name || '…'}`
  if (b.link) return `its ${spokenPath(b.link)}, as ${b.name}`
  const [name, link] = partsOf(b.list ?? '')
  const label = wording.schema.get(name)?.label.toLowerCase() ?? name
  const of = link ? ` of the ${b.of ? spokenPath(b.of) : nounOf(table)}` : ''
  const list = wording.schema.get(name)
  const where = b.where && list ? ` where ${conditionWords(b.where, list, wording)}` : ''
  return `${label}${of}${where}${b.limit ? `, at most ${b.limit}` : ''}, as ${b.name}`
}

/** How parts of a condition are joined, in words. */
export const JOINT_WORDS = { all: 'all of these hold', any: 'any of these holds', none: 'none of these holds' } as const

function addConditions(conditions: Condition, workflow: Workflow, table: TableDef, wording: Wording, lines: Line[], number: string): void {
  const { cue } = workflow
  const becomes =
    workflow.firing !== 'every' && ((cue.kind === 'record' && cue.on.includes('changed')) || (cue.kind === 'timetable' && (cue.per === 'record' || cue.per === 'group')))
  const before = cue.kind === 'timetable' ? ', as they did not the time before' : ', as they did not before'
  const suffix = becomes ? before : workflow.firing === 'every' ? ', every time' : ''
  const node = isClause(conditions) ? { all: [conditions] } : conditions
  const path = '/conditions'
  const [joint, children] = jointOf(node)
  lines.push({ number, role: becomes ? 'becomes' : 'where', words: `${JOINT_WORDS[joint]}${suffix}`, path, kind: 'conditions', depth: 0, muted: false })
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
  const [joint, children] = jointOf(node)
  lines.push({ number, role: '', words: JOINT_WORDS[joint], path, kind: 'conditions', depth, muted: false })
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
    if (action.do === 'choose') addBranches(action, path, number, depth, table, wording, lines)
  })
}

function addBranches(action: Extract<Action, { do: 'choose' }>, path: string, number: string, depth: number, table: TableDef, wording: Wording, lines: Line[]): void {
  const add = (role: string, words: string, at: string, n: string, actions: readonly Action[], base: string) => {
    lines.push({ number: n, role, words, path: at, kind: 'branch', depth: depth + 1, muted: action.muted ?? false })
    addActions(actions, base, n, depth + 2, table, wording, lines)
  }
  action.branches.forEach((branch, b) => {
    const at = `${path}/branches/${b}`
    add('if', conditionWords(branch.when, table, wording), at, `${number}.${b + 1}`, branch.actions, `${at}/actions`)
  })
  if (action.otherwise?.length) add('else', 'otherwise', `${path}/otherwise`, `${number}.${action.branches.length + 1}`, action.otherwise, `${path}/otherwise`)
}

/** A condition in one sentence: "status is New and (amount is at least 40 or owner is blank)". */
export function conditionWords(node: Condition, table: TableDef, wording: Wording): string {
  if (isClause(node)) return clauseSentence(node, table, wording)
  const [joint, children] = jointOf(node)
  const parts = children.map((child) => (isClause(child) ? clauseSentence(child, table, wording) : `(${conditionWords(child, table, wording)})`))
  return joint === 'none' ? `neither ${parts.join(' nor ')}` : parts.join(joint === 'all' ? ' and ' : ' or ')
}

function actionWords(action: Action, table: TableDef, wording: Wording): Pick<Line, 'role' | 'words' | 'detail'> {
  switch (action.do) {
    case 'email':
      return { role: 'email', words: emailWords(action, table, wording), detail: emailDetail(action) }
    case 'notice':
      return { role: 'notice', words: noticeWords(action, table, wording), detail: `“${inWords(must((action.title || action.text).split('\n')[0]))}”` }
    case 'update':
      return { role: 'update', words: `the ${action.target ? spokenPath(action.target) : nounOf(table)}: ${setWords(action.set, ' to ')}` }
    case 'create':
      return { role: 'create', words: `${withArticle((wording.schema.get(action.table)?.singular ?? action.table).replaceAll('_', ' '))} with ${setWords(action.set, ' ')}` }
    case 'task':
      return {
        role: 'task',
        words: `for ${action.owner ? recipientWords(ownerEntry(action.owner), table, wording) : 'nobody in particular'}${action.due ? `, due ${valueWords(action.due)}` : ''}`,
        detail: `“${inWords(action.subject)}”`,
      }
    case 'choose':
      return { role: 'choose', words: 'the first of these that holds' }
    case 'each':
      return { role: 'each', words: eachWords(action, table, wording) }
  }
}

/** What is gone through, in words: “booking, where seats is more than 1”, “booking of guests” where they go by another name. */
function eachWords({ as, of, where }: Extract<Action, { do: 'each' }>, table: TableDef, wording: Wording): string {
  const name = must(partsOf(of)[0])
  const listed = wording.schema.get(name)
  const each = as.replaceAll('_', ' ')
  const list = listed?.singular === as ? each : `${each} of ${name.replaceAll('_', ' ')}`
  return where ? `${list}, where ${conditionWords(where, listed ?? table, wording)}` : list
}

function noticeWords(action: Extract<Action, { do: 'notice' }>, table: TableDef, wording: Wording): string {
  const people = action.to?.map((r) => recipientWords(r, table, wording)) ?? []
  return `to ${[...(action.channel ? [`the channel ${action.channel}`] : []), ...people].join(' and ') || 'nobody yet'}`
}

/** What is set, in words: "status to Closed, due to the day 2 days on". */
function setWords(set: Readonly<Record<string, Value>>, joiner: string): string {
  return Object.entries(set)
    .map(([name, value]) => `${name.replaceAll('_', ' ')}${joiner}${valueWords(value)}`)
    .join(', ')
}

function valueWords(value: Value): string {
  if (value === null || value === '') return 'blank'
  if (typeof value !== 'object') return String(value)
  if ('field' in value) return `its ${spokenPath(value.field)}`
  if ('text' in value) return `“${value.text}”`
  if ('formula' in value) return `= ${value.formula}`
  if ('now' in value) return 'now'
  return value.today === 0 ? 'today' : `${value.today} ${value.today === 1 ? 'day' : 'days'} on`
}

function emailWords(action: EmailAction, table: TableDef, wording: Wording): string {
  const names = (entries: readonly Recipient[] = []) => entries.map((r) => recipientWords(r, table, wording)).join(' and ')
  const cc = action.cc?.length ? `, copy to ${names(action.cc)}` : ''
  const bcc = action.bcc?.length ? `, blind copy to ${names(action.bcc)}` : ''
  return `${names(action.to) || 'nobody yet'}${cc}${bcc}${deliveryOf(action) === 'each' ? ', one each' : namesList(action) ? ', one mail to all' : ''}`
}

function emailDetail(action: EmailAction): string {
  const parts = [action.template ? `template ${action.template}` : `“${inWords(action.subject?.trim() || 'no subject yet')}”`]
  if (action.attach?.length)
    parts.push(`with ${action.attach.map((a) => `${a.as === 'link' ? 'a link to ' : ''}${'file' in a ? a.file : `its ${spokenPath(a.field)}`}`).join(', ')}`)
  if (action.priority && action.priority !== 'normal') parts.push(action.priority)
  else if (action.priority && action.template) parts.push('normal priority')
  return parts.join(' · ')
}

/** A text as one reads it: each placeholder as the words of its path, in the place of its source. */
const inWords = (text: string): string => text.replaceAll(/\{\{\s*([a-z_][\w.]*)[^{}]*\}\}/gi, (_, path: string) => `‹${spokenPath(path)}›`)

/** A recipient entry in words: "its owner", "its previous owner", "the group Claims desk". */
export function recipientWords(entry: Recipient, table: TableDef, wording: Wording): string {
  if ('list' in entry) return `the ${spokenPath(entry.field)} of each of ${must(partsOf(entry.list)[0]).replaceAll('_', ' ')}`
  if ('address' in entry) return personNamed(entry.address, wording) ?? (entry.address || '…')
  if ('group' in entry) return `the group ${entry.group || '…'}`
  if ('team' in entry) return `the team ${entry.team || '…'}`
  if ('changedBy' in entry) return 'whoever made the change'
  if ('text' in entry) return `addresses in ${entry.text}`
  const path = 'managerOf' in entry ? entry.managerOf : entry.field
  const words = pathPhrase(path, table, wording)
  const field = fieldOf(table, path)
  const phrase = /^(the|previous) /.test(words) && !field ? words.replace(/^previous /, 'its previous ') : itsOwn(words, field?.type === 'person')
  return 'managerOf' in entry ? `the manager of ${phrase}` : phrase
}

/** The name of a person by their e-mail; with the e-mail beside it where several are called so, and null where nobody has it. */
function personNamed(address: string, { names }: Wording): string | null {
  const name = names.get(address.toLowerCase())
  if (name === undefined) return null
  const isAlone = [...names.values()].filter((n) => n === name).length === 1
  return isAlone ? name : `${name} (${address})`
}

/** A path in words, from the record or from a name: "owner", "previous owner", "the boat’s keeper". */
function pathPhrase(path: string, table: TableDef, wording: Wording): string {
  const [head, ...rest] = partsOf(path)
  if (head === 'asked' && rest.length === 1) return `the answer to “${must(rest[0]).replaceAll('_', ' ')}”`
  const isOwn = fieldOf(table, head) !== undefined
  const own = isOwn ? path : rest.join('.')
  const checked = checkPath(wording.schema, table, own)
  if (isOwn || ['record', 'before', table.singular].includes(head)) {
    const words = 'problem' in checked ? own || '…' : pathWords(checked)
    return head === 'before' && !isOwn ? `previous ${words}` : words
  }
  return `the ${spokenPath([head, ...rest].join('.'))}`
}
