import { type Clause, type Condition, isClause, type Operand } from '../conditions/clause'
import { OPERATORS, operatorsFor } from '../conditions/operators'
import { parseTemplate, templatePaths } from '../message/liquid'
import { bodyEngine, type Engines } from '../message/render'
import { checkPath, nearest, unknownField } from '../paths/path'
import { isAddress } from '../recipients/address'
import { rootOf } from '../recipients/recipients'
import { parseValue } from '../values/parse'
import { type FieldDef, fieldOf, type Schema, type TableDef, targetOf } from '../values/tables'
import type { Action, EmailAction, Recipient, Workflow } from '../workflow/document'
import { checkPlaceholder } from './placeholders'

/** A finding of the review: an error blocks going live, a warning asks. */
export interface Finding {
  readonly level: 'error' | 'warning'
  readonly code: string
  /** JSON Pointer into the workflow document. */
  readonly path: string
  /** What is wrong and how to mend it. */
  readonly message: string
}

/** What a workflow is reviewed against. */
export interface ReviewSetting {
  readonly schema: Schema
  /** Ids of people by lower-case e-mail. */
  readonly people: ReadonlyMap<string, number>
  readonly groups: ReadonlySet<string>
  readonly teams: ReadonlySet<string>
  readonly engines: Engines
}

/** Finds everything that keeps a workflow from running, all at once. */
export function review(workflow: Workflow, setting: ReviewSetting): Finding[] {
  const findings: Finding[] = []
  const error = (code: string, path: string, message: string) => findings.push({ level: 'error', code, path, message })
  const table = setting.schema.get(workflow.table)
  if (!table || workflow.table === 'person') {
    const near = nearest(workflow.table, [...setting.schema.keys()])
    error('unknown table', '/table', `There is no table ${JSON.stringify(workflow.table)}.${near ? ` Did you mean ${near}?` : ' Choose one under Records.'}`)
    return findings
  }
  reviewCue(workflow, table, setting, error)
  if (workflow.conditions) reviewCondition(workflow.conditions, '/conditions', table, setting, error)
  reviewUnsupported(workflow, error)
  if (!workflow.actions.some((a) => !a.muted)) error('no action', '/actions', 'The workflow does nothing yet. Add an email.')
  reviewNames(workflow.actions, error)
  workflow.actions.forEach((action, i) => {
    if (!action.muted) reviewAction(action, `/actions/${i}`, table, setting, error)
  })
  return findings
}

export type Report = (code: string, path: string, message: string) => void

function reviewCue(workflow: Workflow, table: TableDef, setting: ReviewSetting, error: Report): void {
  const { cue } = workflow
  if (cue.kind !== 'record') {
    error('not supported', '/cue', `This version runs record cues only; a ${cue.kind} cue cannot go live yet.`)
    return
  }
  cue.fields?.forEach((name, i) => {
    if (!fieldOf(table, name)) error('unknown field', `/cue/fields/${i}`, unknownField(table, name))
  })
  if (!cue.whose) return
  if (!table.ownerField) error('no owner', '/cue/whose', `${table.label} has no owner field, so it cannot be narrowed by whose records they are.`)
  if ('team' in cue.whose && !setting.teams.has(cue.whose.team)) error('unknown team', '/cue/whose/team', `There is no team ${JSON.stringify(cue.whose.team)}.`)
  if ('person' in cue.whose && !setting.people.has(cue.whose.person.toLowerCase())) error('unknown person', '/cue/whose/person', `Nobody here has the address ${cue.whose.person}.`)
}

function reviewCondition(node: Condition, path: string, table: TableDef, setting: ReviewSetting, error: Report): void {
  if (isClause(node)) {
    if (!node.muted) reviewClause(node, path, table, setting, error)
    return
  }
  const [joint, children] = Object.entries(node)[0] as [string, Condition[]]
  if (children.length === 0) error('empty condition', path, `“${joint} of” has no clauses. Add one or remove the line.`)
  children.forEach((child, i) => reviewCondition(child, `${path}/${joint}/${i}`, table, setting, error))
}

function reviewClause(clause: Clause, path: string, table: TableDef, setting: ReviewSetting, error: Report): void {
  const checked = checkPath(setting.schema, table, clause.field)
  if ('problem' in checked) {
    error('unknown field', `${path}/field`, checked.problem)
    return
  }
  const operator = OPERATORS[clause.op]
  const { field } = checked
  if (!operator.on(field.type)) {
    error(
      'operator does not fit',
      `${path}/op`,
      `“${clause.op}” does not fit ${field.label}, which is a ${field.type} field. It can be tested with ${operatorsFor(field.type).join(', ')}.`,
    )
    return
  }
  const sides = operator.operand === 'none' ? [] : operator.operand === 'two' ? (['value', 'to'] as const) : (['value'] as const)
  for (const side of sides) reviewOperand(clause[side], `${path}/${side}`, operator.operand, clause, field, table, setting, error)
}

function reviewOperand(
  operand: Operand | undefined,
  path: string,
  wants: 'one' | 'many' | 'two' | 'span' | 'none',
  clause: Clause,
  field: FieldDef,
  table: TableDef,
  setting: ReviewSetting,
  error: Report,
): void {
  if (operand === undefined) return error('no value', path, `“${clause.op}” needs a value to compare ${field.label} with.`)
  const isSpan = operand !== null && typeof operand === 'object' && !Array.isArray(operand) && ('minutes' in operand || 'hours' in operand || 'days' in operand)
  if (wants === 'span' || isSpan) {
    if (wants !== 'span' || !isSpan) error('wrong value', path, `“${clause.op}” ${wants === 'span' ? 'takes a number of minutes, hours or days' : 'does not take a span of time'}.`)
    return
  }
  if (wants === 'many' || Array.isArray(operand)) {
    if (wants !== 'many' || !Array.isArray(operand)) return error('wrong value', path, `“${clause.op}” takes ${wants === 'many' ? 'a list of values' : 'one value, not a list'}.`)
    operand.forEach((item, i) => reviewLiteral(item, `${path}/${i}`, field, setting, error))
    return
  }
  if (operand !== null && typeof operand === 'object') return reviewDynamic(operand, path, field, table, setting, error)
  reviewLiteral(operand, path, field, setting, error)
}

function reviewDynamic(operand: object, path: string, field: FieldDef, table: TableDef, setting: ReviewSetting, error: Report): void {
  if ('formula' in operand) return error('not supported', path, 'A formula cannot stand here yet. Use a value or another field.')
  if ('today' in operand && field.type !== 'date' && field.type !== 'date-time')
    return error('wrong value', path, `${field.label} is a ${field.type} field and cannot be compared with today.`)
  if ('changedBy' in operand && field.type !== 'person')
    return error('wrong value', path, `${field.label} is a ${field.type} field; only a person field can be compared with whoever made the change.`)
  if (!('field' in operand)) return
  const other = checkPath(setting.schema, table, String(operand.field))
  if ('problem' in other) return error('unknown field', `${path}/field`, other.problem)
  const alike =
    other.field.type === field.type ||
    [other.field.type, field.type].every((t) => ['number', 'money'].includes(t)) ||
    [other.field.type, field.type].every((t) => ['text', 'long text', 'choice', 'email', 'phone'].includes(t))
  if (!alike) error('types differ', path, `${field.label} (${field.type}) cannot be compared with ${other.field.label} (${other.field.type}).`)
}

function reviewLiteral(value: string | number | boolean | null, path: string, field: FieldDef, setting: ReviewSetting, error: Report): void {
  if (value === null || value === '') return
  if (field.type === 'person') {
    if (typeof value !== 'string' || !setting.people.has(value.trim().toLowerCase()))
      error('unknown person', path, `Nobody here has the address ${JSON.stringify(value)}. People are named by their e-mail.`)
    return
  }
  const parsed = parseValue(field, value, path)
  if ('problem' in parsed) error(parsed.problem.code, path, parsed.problem.message)
}

/** Parts of the document that are kept and shown but cannot run in this version; going live with them would do less than they say. */
function reviewUnsupported(workflow: Workflow, error: Report): void {
  const say = (part: string, path: string) => error('not supported', path, `This version cannot run ${part} yet. Remove the line, or keep the workflow as a draft.`)
  workflow.bringIn?.forEach((b, i) => !b.muted && say('things brought in', `/bringIn/${i}`))
  workflow.values?.forEach((_, i) => say('named values', `/values/${i}`))
  if (workflow.limits && Object.keys(workflow.limits).length) say('limits', '/limits')
  if (workflow.examples?.length) say('examples', '/examples')
}

function reviewNames(actions: readonly Action[], error: Report): void {
  const seen = new Set<string>()
  actions.forEach((action, i) => {
    if (seen.has(action.name)) error('same name', `/actions/${i}/name`, `Another action is already called ${JSON.stringify(action.name)}. Give each its own name.`)
    seen.add(action.name)
  })
}

function reviewAction(action: Action, path: string, table: TableDef, setting: ReviewSetting, error: Report): void {
  if (action.do !== 'email') return error('not supported', path, `This version runs email actions only; “${action.do}” cannot go live yet.`)
  for (const part of ['template', 'about', 'attach', 'replyTo'] as const)
    if (action[part] !== undefined) error('not supported', `${path}/${part}`, `This version cannot use “${part}” on an email yet. Remove it.`)
  if (typeof action.from === 'object') error('not supported', `${path}/from`, 'Sender identities are not there yet. Use default or owner.')
  if (action.from === 'owner' && !table.ownerField) error('no owner', `${path}/from`, `${table.label} has no owner field to send from.`)
  if (action.to.length === 0) error('no recipient', `${path}/to`, 'The email has no recipient. Add the owner, a group or an address.')
  for (const list of ['to', 'cc', 'bcc', 'ifNobody'] as const) action[list]?.forEach((entry, i) => reviewRecipient(entry, `${path}/${list}/${i}`, table, setting, error))
  if (!action.subject?.trim()) error('no subject', `${path}/subject`, 'The email has no subject. Write one.')
  if (!action.body?.trim()) error('no body', `${path}/body`, 'The email says nothing. Write its text.')
  reviewText(action.subject ?? '', `${path}/subject`, 'plain', action, table, setting, error)
  reviewText(action.body ?? '', `${path}/body`, action.format ?? 'plain', action, table, setting, error)
}

function reviewRecipient(entry: Recipient, path: string, table: TableDef, setting: ReviewSetting, error: Report): void {
  if ('list' in entry) return error('not supported', path, 'Lists as recipients are not there yet.')
  if ('changedBy' in entry) return
  if ('address' in entry) {
    if (!isAddress(entry.address.trim())) error('faulty address', `${path}/address`, `${JSON.stringify(entry.address)} is not an e-mail address, such as someone@example.org.`)
    return
  }
  if ('text' in entry) return reviewText(entry.text, `${path}/text`, 'plain', null, table, setting, error)
  if ('group' in entry) {
    if (!setting.groups.has(entry.group)) error('unknown group', `${path}/group`, unknownName('group', entry.group, setting.groups))
    return
  }
  if ('team' in entry) {
    if (!setting.teams.has(entry.team)) error('unknown team', `${path}/team`, unknownName('team', entry.team, setting.teams))
    return
  }
  reviewRecipientField('managerOf' in entry ? entry.managerOf : entry.field, 'managerOf' in entry, path, table, setting, error)
}

function unknownName(what: string, name: string, known: ReadonlySet<string>): string {
  const near = nearest(name, [...known])
  return `There is no ${what} ${JSON.stringify(name)}.${near ? ` Did you mean ${near}?` : ''}`
}

function reviewRecipientField(text: string, manager: boolean, path: string, table: TableDef, setting: ReviewSetting, error: Report): void {
  const at = `${path}/${manager ? 'managerOf' : 'field'}`
  const checked = checkPath(setting.schema, table, rootOf(text, table).rest)
  if ('problem' in checked) return error('unknown field', at, checked.problem)
  const { type, label } = checked.field
  if (manager && type !== 'person') error('not an address', at, `${label} is a ${type} field; only a person has a manager.`)
  if (!manager && type !== 'person' && type !== 'email') error('not an address', at, `${label} is a ${type} field and gives no e-mail address. Choose a person or an email field.`)
}

function reviewText(source: string, path: string, format: 'plain' | 'rich', action: EmailAction | null, table: TableDef, setting: ReviewSetting, error: Report): void {
  const engine = bodyEngine(setting.engines, format)
  const parsed = parseTemplate(engine, source)
  if ('problem' in parsed) return error('text does not parse', path, parsed.problem.message)
  const recipients = action ? recipientTables(action, table, setting.schema) : []
  for (const names of templatePaths(engine, parsed.templates)) {
    const problem = checkPlaceholder(names, table, setting.schema, recipients)
    if (problem) error('unknown placeholder', path, problem)
  }
}

/** The tables that `recipient` can be a record of, from the entries that write to it. */
function recipientTables(action: EmailAction, table: TableDef, schema: Schema): TableDef[] {
  return [...action.to, ...(action.ifNobody ?? [])].flatMap((entry) => {
    if ('group' in entry || 'team' in entry || 'managerOf' in entry || 'changedBy' in entry) return schema.get('person') ?? []
    if (!('field' in entry) || 'list' in entry) return []
    const checked = checkPath(schema, table, rootOf(entry.field, table).rest)
    if ('problem' in checked) return []
    const last = checked.links[checked.links.length - 1]
    const name = targetOf(checked.field) ?? (last ? targetOf(last) : table.name)
    return schema.get(name as string) ?? []
  })
}
