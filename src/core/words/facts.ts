import { OPERATORS } from '../conditions/operators'
import { shapeOf } from '../cues/kinds'
import { clausesOf } from '../document/condition'
import type { Action, EmailAction, Recipient, Value, Workflow } from '../document/document'
import { FIELD_CHANGED } from '../message/what-changed'
import { partsOf } from '../must'
import { checkRooted, type RootDef } from '../paths/roots'
import { capital, chained, nounOf } from '../values/naming'
import { type FieldDef, fieldOf, type Schema, type TableDef, targetOf } from '../values/tables'
import { deliveryOf } from '../workflow/delivery'
import { listedTable, scopeAt } from '../workflow/scope'
import { shortName } from './proposed-name'

/** What texts are made from: the tables, and what is known where they stand. */
interface Facts {
  readonly workflow: Workflow
  readonly table: TableDef
  readonly schema: Schema
  readonly says: ReadonlyMap<string, readonly string[]>
}

/** Most facts that a text says by itself. */
const MOST_FACTS = 8

/**
 * Gives a workflow that was said in words what its words leave open: to its mail, notices, tasks and records texts that say the facts which its conditions and
 * recipients name. What is there already stays. `says` are paths that mail was asked to say, by the action’s name.
 */
export function withTexts(workflow: Workflow, says: ReadonlyMap<string, readonly string[]>, { schema }: { readonly schema: Schema }): Workflow {
  const table = schema.get(workflow.table)
  if (!table) return workflow
  const facts: Facts = { workflow, table, schema, says }
  return { ...workflow, actions: filled(workflow.actions, facts, '/actions') }
}

/** The name of a workflow from the words for it: up to what it does, without “when a”. */
export function nameFrom(said: string, table: TableDef): string {
  const plain = said
    .trim()
    .replaceAll(/\s+/g, ' ')
    .replace(/^(when|whenever|as soon as|each time|once|if)\s+/i, '')
    .replace(/^it\b/i, nounOf(table))
    .replace(/^(an?|the|any|its)\s+/i, '')
    .replace(/[\s,;:.]+$/, '')
    .replace(/,? (and|then)$/, '')
  return plain ? capital(shortName(plain)) : `New ${nounOf(table)}`
}

function filled(actions: readonly Action[], facts: Facts, base: string): Action[] {
  return actions.map((action, i) => {
    const path = `${base}/${i}`
    switch (action.do) {
      case 'email':
        if (action.template) return action
        return action.body ? { ...action, subject: action.subject || subjectOf(facts) } : withMailText(action, facts, path)
      case 'notice':
        return action.text ? action : { ...action, title: action.title || subjectOf(facts), text: factLines(factsOf(facts, [], path)).join('\n') || '{{ link }}' }
      case 'task':
        return withTaskText(action, facts)
      case 'create':
        return { ...action, set: withLinks(action.set, action.table, facts) }
      case 'each':
        return { ...action, actions: filled(action.actions, facts, `${path}/actions`) }
      case 'choose':
        return {
          ...action,
          branches: action.branches.map((b, n) => ({ ...b, actions: filled(b.actions, facts, `${path}/branches/${n}/actions`) })),
          ...(action.otherwise ? { otherwise: filled(action.otherwise, facts, `${path}/otherwise`) } : {}),
        }
      default:
        return action
    }
  })
}

/** A path as a placeholder starts: from the record’s noun, unless it starts at a name. */
function placeholder(path: string, { table }: Facts, roots: ReadonlyMap<string, RootDef>): string {
  return !fieldOf(table, partsOf(path)[0]) && (roots.has(partsOf(path)[0]) || ['recipient', 'records'].includes(partsOf(path)[0])) ? path : `${table.singular}.${path}`
}

interface Fact {
  readonly label: string
  readonly shown: string
}

/** The facts that a text says: what it was asked to, else what conditions and recipients name. */
function factsOf(facts: Facts, to: readonly Recipient[], path: string, asked: readonly string[] = []): Fact[] {
  const { workflow, table, schema } = facts
  const shape = shapeOf(workflow, table)
  const roots = withRecipient(scopeAt(workflow, path, table, { schema }), facts, to)
  const found = new Map<string, Fact>()
  const add = (of: string, moves = false) => {
    if (found.has(of) || found.size >= MOST_FACTS) return
    const fact = factOf(of, facts, shape.table, roots, moves)
    if (fact) found.set(of, fact)
  }
  for (const of of asked) add(of)
  const clauses = clausesOf(workflow.conditions)
  for (const clause of clauses) add(clause.field, shape.moves && (OPERATORS[clause.op].change || clause.op === 'is'))
  for (const entry of to) {
    const of = 'field' in entry && !('list' in entry) ? entry.field : 'managerOf' in entry ? entry.managerOf : null
    const holder = of?.includes('.') ? of.slice(0, of.lastIndexOf('.')) : null
    if (holder && asked.length === 0 && shape.table.none === undefined) add(holder)
  }
  return [...found.values()]
}

/** The names known to a mail’s text, with the recipient where it goes over a list. */
function withRecipient(roots: ReadonlyMap<string, RootDef>, facts: Facts, to: readonly Recipient[]): ReadonlyMap<string, RootDef> {
  const list = to.flatMap((entry) => ('list' in entry ? [listedTable(entry.list, roots, facts.schema)] : [])).find((t) => t !== undefined)
  return list ? new Map([...roots, ['recipient', { kind: 'record' as const, table: list }]]) : roots
}

function factOf(path: string, facts: Facts, table: TableDef, roots: ReadonlyMap<string, RootDef>, moves: boolean): Fact | null {
  const rooted = checkRooted(facts.schema, table, roots, path)
  if ('problem' in rooted) return null
  const field = rooted.path?.field
  const before = field && moves && !path.includes('.') && facts.workflow.cue.kind === 'record' && facts.workflow.cue.on.includes('changed')
  const shown = (start: string) => `{{ ${start}${field ? nameIn(field) : ''} | default: "blank" }}`
  const now = shown(placeholder(path, facts, roots))
  const label = rooted.path ? labelled(rooted.path.links, rooted.path.field) : path.replaceAll('_', ' ')
  return { label: capital(label), shown: before ? `${shown(`before.${path}`)} to ${now}` : now }
}

const labelled = (links: readonly FieldDef[], field: FieldDef) => chained([...links, field].map((f) => f.label.toLowerCase()))

/** A person is shown by name. */
const nameIn = (field: FieldDef) => (field.type === 'person' ? '.name' : '')

const factLines = (facts: readonly Fact[]): string[] => facts.map(({ label, shown }) => `${label}: ${shown}`)

/** The subject that says what has happened. */
function subjectOf({ workflow, table }: Facts): string {
  const { cue } = workflow
  const noun = nounOf(table)
  const title = `{{ ${table.singular}.${table.titleField} }}`
  if (cue.kind === 'figure') return '{{ figure.name }} is {{ figure.value }}'
  if (shapeOf(workflow, table).table.none !== undefined)
    return cue.kind === 'timetable' && cue.per !== 'group'
      ? `${cue.per === 'owner' ? `Your ${table.label.toLowerCase()}` : table.label}: {{ records.size }}`
      : workflow.name || capital(noun)
  if (cue.kind === 'by hand') return `About ${title}`
  const clauses = clausesOf(workflow.conditions)
  const own = clauses.filter((c) => fieldOf(table, c.field))
  const told = own.find((c) => OPERATORS[c.op].change) ?? own.find((c) => c.op === 'is') ?? own[0]
  const field = told && fieldOf(table, told.field)
  if (cue.kind === 'record' && cue.on.length === 1 && cue.on[0] === 'created' && !cue.stays) return `New ${noun} ${title}`
  if (cue.kind === 'record' && cue.on.length === 1 && cue.on[0] === 'deleted') return `${capital(noun)} ${title} is gone`
  if (!told || !field) return `${capital(noun)} ${title} has changed`
  const shown = `{{ ${table.singular}.${field.name}${nameIn(field)} }}`
  if (cue.kind === 'record' && cue.stays) return `${title}: ${field.label.toLowerCase()} ${shown} since {{ stay.since | date: "%-d %B" }}`
  if (field.type === 'person' && ['changed', 'changed to'].includes(told.op)) return `${title} is with ${shown}`
  return field.type === 'choice' && ['is', 'changed to'].includes(told.op)
    ? `${title} is ${shown}`
    : `${title}: ${field.label.toLowerCase()} ${field.type === 'yes/no' ? 'is ' : ''}${shown}`
}

function withMailText(email: EmailAction, facts: Facts, path: string): EmailAction {
  const { workflow, table } = facts
  const shape = shapeOf(workflow, table)
  const asked = facts.says.get(email.name) ?? []
  const told = [...answersOf(facts), ...factLines(factsOf(facts, email.to, path, asked))]
  const rows = rowsOf(facts)
  const moves = shape.changeParts.includes('fields') && !workflow.conditions && asked.length === 0 && workflow.cue.kind === 'record' && workflow.cue.on.includes('changed')
  const by = shape.changeParts.includes('by') ? '{{ change.by.name }}, {{ change.at }}' : null
  const body = [
    `<p>${greeting(email, facts)}</p>`,
    ...(told.length ? [`<ul>${told.map((l) => `<li><p>${l}</p></li>`).join('')}</ul>`] : []),
    ...(rows === null ? [] : [`<ul>{% for r in records %}<li><p>${rows}</p></li>{% endfor %}</ul>`]),
    ...(moves ? [`<ul>{% for field in change.fields %}<li><p>${FIELD_CHANGED}</p></li>{% endfor %}</ul>`] : []),
    ...(by ? [`<p>${by}</p>`] : []),
    `<p><a href="{{ link }}">Open ${shape.table.none === undefined ? `the ${nounOf(table)}` : 'it'}</a></p>`,
  ]
  return { ...email, subject: email.subject || subjectOf(facts), body: body.join('\n'), format: 'rich' }
}

/** What is said of each of the records that a run is about all at once: its title, and what conditions name of it. */
function rowsOf({ workflow, table }: Facts): string | null {
  const { cue } = workflow
  if (!((cue.kind === 'timetable' || cue.kind === 'by hand') && (cue.per === 'owner' || cue.per === 'all'))) return null
  const named = [...new Set(clausesOf(workflow.conditions).map((c) => c.field))].flatMap((name) => fieldOf(table, name) ?? [])
  const fields = named.filter((f) => f.name !== table.titleField && f.name !== table.ownerField).slice(0, MOST_FACTS)
  return [`{{ r.${table.titleField} }}`, ...fields.map((f) => `${f.label.toLowerCase()} {{ r.${f.name}${nameIn(f)} | default: "blank" }}`)].join(', ')
}

/** What was answered where a run is started by hand, question by question. */
function answersOf({ workflow: { cue } }: Facts): string[] {
  return cue.kind === 'by hand' ? (cue.ask ?? []).map(({ name, label, type }) => `${label}: {{ asked.${name}${type === 'person' ? '.name' : ''} | default: "blank" }}`) : []
}

function greeting(email: EmailAction, facts: Facts): string {
  const [only, ...others] = email.to
  const who = only && others.length === 0 ? addressed(only, email, facts) : null
  return who ? `Dear {{ ${who} | default: "reader" }},` : 'Hello,'
}

/** The placeholder of the name of whom a mail goes to, where it goes to one. */
function addressed(entry: Recipient, email: EmailAction, facts: Facts): string | null {
  const { table, schema, workflow } = facts
  if ('list' in entry) {
    if (deliveryOf(email) !== 'each') return null
    const roots = scopeAt(workflow, '/actions/9999', table, { schema })
    const list = listedTable(entry.list, roots, facts.schema)
    return list ? nameOfHolder('recipient', entry.field, list, schema) : null
  }
  if (!('field' in entry)) return null
  const head = partsOf(entry.field)[0]
  if (fieldOf(table, head) && shapeOf(workflow, table).table.none === undefined) return nameOfHolder(table.singular, entry.field, table, schema)
  return head === 'owner' ? 'owner.first_name' : null
}

/** The name in the record that an address is of: its first name where it has one, else its title. */
function nameOfHolder(start: string, path: string, table: TableDef, schema: Schema): string | null {
  let at: TableDef | undefined = table
  const steps: string[] = []
  for (const name of path.split('.')) {
    const field: FieldDef | undefined = at && fieldOf(at, name)
    const target: TableDef | undefined = field && schema.get(targetOf(field) ?? '')
    if (!target) break
    steps.push(name)
    at = target
  }
  if (!at || (steps.length === 0 && at === table && start !== 'recipient')) return null
  return [start, ...steps, fieldOf(at, 'first_name') ? 'first_name' : at.titleField].join('.')
}

/** A task begins for the owner, in two days, as a follow-up. */
function withTaskText(task: Extract<Action, { do: 'task' }>, { table, workflow }: Facts): Action {
  const isRecord = shapeOf(workflow, table).table.none === undefined
  const owner = task.owner ?? (isRecord ? table.ownerField : undefined)
  return {
    ...task,
    subject: task.subject || (isRecord ? `Follow up {{ ${table.singular}.${table.titleField} }}` : `Follow up ${table.label.toLowerCase()}`),
    ...(owner === undefined ? {} : { owner }),
    due: task.due === undefined ? { today: 2 } : task.due,
  }
}

/** What a new record takes over by itself: the link back, fields that are named alike, and a title. */
function withLinks(set: Readonly<Record<string, Value>>, made: string, { table, schema, workflow }: Pick<Facts, 'table' | 'schema' | 'workflow'>): Record<string, Value> {
  const target = schema.get(made)
  if (!target || shapeOf(workflow, table).table.none !== undefined) return { ...set }
  const more: Record<string, Value> = {}
  const title = fieldOf(target, target.titleField)
  if (title && !title.number && title.type === 'text' && set[title.name] === undefined) more[title.name] = { text: `{{ ${table.singular}.${table.titleField} }}` }
  for (const field of target.fields) {
    if (set[field.name] !== undefined || more[field.name] !== undefined || field.readOnly || field.housekeeping || field.number) continue
    if (field.type === 'link' && field.table === table.name) more[field.name] = { field: 'id' }
    else if (table.fields.some((f) => f.name === field.name && f.type === field.type && f.table === field.table && (field.type === 'link' || field.type === 'person')))
      more[field.name] = { field: field.name }
  }
  return { ...more, ...set }
}
