import type { Action, Attach, EmailAction, OtherAction, Value } from '../document/document'
import { ownerEntry } from '../document/task-owner'
import { formulaProblem } from '../formula/formula'
import { emailText } from '../message/format'
import { must } from '../must'
import { unknownField } from '../paths/path'
import { checkRooted, endTable, type RootDef } from '../paths/roots'
import { isAddress } from '../recipients/address'
import { OWNED_BY_RAPPEL } from '../values/parse'
import { fieldOf, type TableDef } from '../values/tables'
import { deliveryOf, namesList } from '../workflow/delivery'
import { TASK_TABLE, targetTable } from '../workflow/run/writes'
import { reviewCondition, reviewLiteral } from './clauses'
import { type Context, unknownName } from './context'
import { reviewImages } from './images'
import { listTable, recipientTables, reviewRecipient } from './recipients'
import { reviewText } from './texts'

const MAX_NESTING = 3

/** Reviews actions in order; what one creates is known to those after it. */
export function reviewActions(actions: readonly Action[], path: string, depth: number, context: Context): void {
  const roots = new Map(context.roots)
  actions.forEach((action, i) => {
    if (action.muted) return
    reviewAction(action, `${path}/${i}`, depth, { ...context, roots: new Map(roots) })
    const created = action.do === 'create' ? context.setting.schema.get(action.table) : undefined
    if (created) roots.set(action.name, { kind: 'record', table: created })
  })
}

function reviewAction(action: Action, path: string, depth: number, context: Context): void {
  switch (action.do) {
    case 'email':
      return reviewEmail(action, path, context)
    case 'notice':
      return reviewNotice(action, path, context)
    case 'update':
      return reviewUpdate(action, path, context)
    case 'create':
      return reviewCreate(action, path, context)
    case 'task':
      return reviewTask(action, path, context)
    case 'choose':
      return reviewChoose(action, path, depth, context)
    case 'each':
      return reviewEach(action, path, depth, context)
  }
}

type Of<Do extends OtherAction['do']> = Extract<OtherAction, { do: Do }>

function reviewEmail(action: EmailAction, path: string, context: Context): void {
  const { setting, table, error } = context
  reviewAttachments(action.attach, `${path}/attach`, context)
  if (action.from === 'owner' && !table.ownerField) error('no owner', `${path}/from`, `${table.label} has no owner field to send from.`)
  if (typeof action.from === 'object' && !setting.senders?.has(action.from.sender))
    error('unknown sender', `${path}/from/sender`, unknownName('sender identity', action.from.sender, setting.senders ?? []))
  if (action.to.length === 0) error('no recipient', `${path}/to`, 'The email has no recipient. Add the owner, a group or an address.')
  for (const list of ['to', 'cc', 'bcc', 'ifNobody'] as const)
    action[list]?.forEach((entry, i) => {
      reviewRecipient(entry, `${path}/${list}/${i}`, context)
    })
  if (namesList(action) && deliveryOf(action) === 'together')
    context.warn('seen by all', `${path}/delivery`, 'All of the list get one mail together and see one another’s addresses. Send one each, unless that is meant.')
  if (action.replyTo) reviewRecipient(action.replyTo, `${path}/replyTo`, context)
  const about = aboutTable(action, path, context)
  const template = action.template === undefined ? undefined : reviewTemplate(action, path, about, context)
  const { subject, body, format } = emailText(action, template)
  if (!subject.trim()) error('no subject', `${path}/subject`, 'The email has no subject. Write one.')
  if (!body.trim()) error('no body', `${path}/body`, 'The email says nothing. Write its text.')
  const recipients = recipientTables([...action.to, ...(action.ifNobody ?? [])], context)
  reviewText(subject, `${path}/subject`, 'plain', context, recipients)
  reviewText(body, `${path}/body`, format, context, recipients)
  reviewImages(body, action.body === undefined ? `${path}/template` : `${path}/body`, context)
}

/** That files of the library are there, and fields hold files. */
export function reviewAttachments(entries: readonly Attach[] | undefined, path: string, { setting, table, roots, error }: Context): void {
  entries?.forEach((entry, i) => {
    const at = `${path}/${i}`
    if ('file' in entry) {
      if (!setting.library?.has(entry.file))
        error('unknown file', `${at}/file`, `${unknownName('file', entry.file, setting.library ?? [])} Files for mail are kept under Settings.`)
      return
    }
    const rooted = checkRooted(setting.schema, table, roots, entry.field)
    if ('problem' in rooted) return error('unknown field', `${at}/field`, rooted.problem)
    if (rooted.path?.field.type !== 'file') error('not a file', `${at}/field`, `${rooted.path?.field.label ?? entry.field} is no file field. Choose one that holds a file.`)
  })
}

/** The table of what an email is about: a named entry's, or the record's. */
function aboutTable(action: EmailAction, path: string, { table, roots, error }: Context): TableDef {
  if (action.about === undefined) return table
  const root: RootDef | undefined = roots.get(action.about)
  if (root?.kind === 'record') return root.table
  error('unknown name', `${path}/about`, `${unknownName('entry', action.about, roots.keys())} An email is about the record or about a named one.`)
  return table
}

function reviewTemplate(action: EmailAction, path: string, about: TableDef, { setting, error }: Context) {
  const template = setting.templates?.get(must(action.template))
  if (template && about.none !== undefined)
    error(
      'template needs a record',
      `${path}/template`,
      `A template is written for one ${about.singular}. ${about.none} Write the mail’s own words, or say which entry it is about.`,
    )
  else if (!template) error('unknown template', `${path}/template`, unknownName('template', must(action.template), setting.templates?.keys() ?? []))
  else if (template.table !== about.name)
    error(
      'template of another table',
      `${path}/template`,
      `The template ${template.name} is for ${template.table}; this email is about ${about.name}. Choose another, or say what the email is about.`,
    )
  return template
}

function reviewNotice(action: Of<'notice'>, path: string, context: Context): void {
  const { setting, error, warn } = context
  if (!action.channel && !action.to?.length) error('no recipient', path, 'The notice has neither a channel nor people to show it to.')
  if (action.channel && !setting.channels?.has(action.channel)) error('unknown channel', `${path}/channel`, unknownName('channel', action.channel, setting.channels ?? []))
  action.to?.forEach((entry, i) => {
    reviewRecipient(entry, `${path}/to/${i}`, context)
    if ('address' in entry && isAddress(entry.address.trim()) && !setting.people.has(entry.address.trim().toLowerCase()))
      warn('not here', `${path}/to/${i}/address`, `${entry.address.trim()} is nobody who is here, and a notice is shown here. Choose somebody who is, or write an email.`)
  })
  if (!action.text.trim()) error('no body', `${path}/text`, 'The notice says nothing. Write its text.')
  reviewText(action.title ?? '', `${path}/title`, 'plain', context)
  reviewText(action.text, `${path}/text`, 'plain', context)
}

function reviewSet(set: Readonly<Record<string, Value>>, target: TableDef, path: string, context: Context): void {
  if (Object.keys(set).length === 0) context.error('nothing set', path, 'Nothing is set. Name a field and its value.')
  for (const [name, value] of Object.entries(set)) {
    const field = fieldOf(target, name)
    if (!field || OWNED_BY_RAPPEL.includes(name))
      context.error('unknown field', `${path}/${name}`, name === '' ? unknownField(target, name) : `${target.label} has no field ${JSON.stringify(name)} that can be set.`)
    else if (value === null || typeof value !== 'object') reviewLiteral(value, `${path}/${name}`, field, context)
    else reviewValue(value, `${path}/${name}`, context)
  }
}

/** Reviews a value that is worked out: a path, a text, a formula. */
export function reviewValue(value: Exclude<Value, string | number | boolean | null>, path: string, context: Context): void {
  if ('text' in value) return reviewText(value.text, `${path}/text`, 'plain', context)
  if ('formula' in value) {
    const problem = formulaProblem(value.formula)
    if (problem) context.error('formula does not parse', `${path}/formula`, problem)
    return
  }
  if (!('field' in value)) return
  const rooted = checkRooted(context.setting.schema, context.table, context.roots, value.field)
  if ('problem' in rooted) context.error('unknown field', `${path}/field`, rooted.problem)
}

function reviewUpdate(action: Of<'update'>, path: string, context: Context): void {
  const target = targetTable(action.target, { table: context.table, roots: context.roots, surroundings: context.setting as never })
  if (!target || target.name === 'person') return context.error('unknown name', `${path}/target`, unknownName('record to change', action.target ?? '', context.roots.keys()))
  reviewSet(action.set, target, `${path}/set`, context)
}

function reviewCreate(action: Of<'create'>, path: string, context: Context): void {
  const target = action.table === 'person' ? undefined : context.setting.schema.get(action.table)
  if (!target) return context.error('unknown table', `${path}/table`, unknownName('table', action.table, context.setting.schema.keys()))
  reviewSet(action.set, target, `${path}/set`, context)
  for (const field of target.fields)
    if (field.required && field.default === undefined && !field.number && !(field.name in action.set))
      context.error('required', `${path}/set`, `${field.label} must be filled in a new ${target.singular}.`)
}

/** That a task is for somebody: a person who is known here by e-mail, or whom a path can lead to. */
function reviewOwner(owner: string, path: string, context: Context): void {
  const entry = ownerEntry(owner)
  if ('field' in entry) reviewRecipient(entry, path, { ...context, error: (code, _path, message) => context.error(code, path, message) })
  else if (!context.setting.people.has(owner.trim().toLowerCase()))
    context.error('unknown person', path, `Nobody here has the address ${JSON.stringify(owner)}. A task is for a person who is known here.`)
}

function reviewTask(action: Of<'task'>, path: string, context: Context): void {
  const table = context.setting.schema.get(TASK_TABLE)
  if (!table || !['subject', 'owner'].every((name) => fieldOf(table, name)))
    return context.error('no tasks', path, `Tasks are kept in a table called ${TASK_TABLE} with the fields subject and owner (due and note if wanted). Make it first.`)
  if (!action.subject.trim()) context.error('no subject', `${path}/subject`, 'The task has no subject. Write one.')
  reviewText(action.subject, `${path}/subject`, 'plain', context)
  if (action.note !== undefined) reviewText(action.note, `${path}/note`, 'plain', context)
  if (action.owner) reviewOwner(action.owner, `${path}/owner`, context)
  if (action.about !== undefined) reviewAbout(action.about, `${path}/about`, context)
  if (action.due !== undefined && action.due !== null && typeof action.due === 'object') reviewValue(action.due, `${path}/due`, context)
}

function reviewAbout(about: string, path: string, { setting, table, roots, error }: Context): void {
  const rooted = checkRooted(setting.schema, table, roots, about)
  if ('problem' in rooted) return error('unknown field', path, rooted.problem)
  if (!endTable(setting.schema, rooted)) error('not a link', path, `${about} leads to no record, so a task cannot be about it. Choose a link.`)
}

function tooDeep(path: string, depth: number, { error }: Context): boolean {
  if (depth < MAX_NESTING) return false
  error('nested too deep', path, `Actions can be nested ${MAX_NESTING} deep, no deeper.`)
  return true
}

function reviewChoose(action: Of<'choose'>, path: string, depth: number, context: Context): void {
  if (tooDeep(path, depth, context)) return
  if (action.branches.length === 0) context.error('empty condition', `${path}/branches`, 'There is no branch to choose. Add one.')
  action.branches.forEach((branch, i) => {
    reviewCondition(branch.when, `${path}/branches/${i}/when`, context)
    reviewActions(branch.actions, `${path}/branches/${i}/actions`, depth + 1, context)
  })
  reviewActions(action.otherwise ?? [], `${path}/otherwise`, depth + 1, context)
}

function reviewEach(action: Of<'each'>, path: string, depth: number, context: Context): void {
  if (tooDeep(path, depth, context)) return
  const entries = listTable(action.of, context)
  if (!entries) return context.error('unknown list', `${path}/of`, `${unknownName('list', action.of, context.roots.keys())} Bring one in first.`)
  if (action.as === '') context.error('no name', `${path}/as`, 'An entry of the list has no name yet. Give it one, by which the actions speak of it.')
  if (action.actions.length === 0) context.error('no action', `${path}/actions`, `Nothing is done for each of ${action.of} yet. Add an action under it, or remove the line.`)
  if (action.where) reviewCondition(action.where, `${path}/where`, { ...context, table: entries })
  reviewActions(action.actions, `${path}/actions`, depth + 1, { ...context, roots: new Map([...context.roots, [action.as, { kind: 'record', table: entries }]]) })
}
