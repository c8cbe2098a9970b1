import { shapeOf } from '../../cues/kinds'
import { type Condition, mappedClauses, type Operand } from '../../document/condition'
import type { Action, Attach, BringIn, EmailAction, Example, Recipient, Value, Workflow } from '../../document/document'
import { ownerEntry } from '../../document/task-owner'
import type { View } from '../../document/view'
import { figureOf, figuresGroupedBy } from '../../figures/of-table'
import { isTakenInFormula } from '../../formula/syntax'
import { membersOf } from '../../must'
import { isIts, isPathToIt, newChoice, newLiteral, newName, newRoot, type Renaming, renamedNames, renamedPath } from '../../paths/rename'
import { baseRoots, type Roots } from '../../paths/roots'
import { fieldOf, type TableDef, targetOf } from '../../values/tables'
import { FIGURE_RECORDS } from '../run/bring-in'
import { scopeAt } from '../scope'
import type { Template } from '../surroundings'
import { renamedFormula, renamedText } from './texts'

/** Where a part of a document stands: the record whose fields it may name bare, and the names that paths can start at. */
interface Here {
  readonly table: TableDef
  /** The workflow's or template's table, which `table` is not where there is no one record. */
  readonly of: TableDef
  readonly roots: Roots
  readonly renaming: Renaming
  /** Whether the groups that the workflow runs for are the values of the field whose choices are renamed. */
  readonly isOfGroup?: boolean
}

const GROUP = 'figure.group'

const path = (text: string, { table, roots, renaming }: Here) => renamedPath(text, table, roots, renaming)
const text = (source: string, { roots, renaming }: Here) => renamedText(source, roots, renaming)
const formula = (source: string, { table, roots, renaming }: Here) => (isNoRoot(renaming) ? source : renamedFormula(source, table, roots, renaming))

/** Whether a record is called by a word that FEEL knows otherwise, by which no formula can speak of it. */
const isNoRoot = ({ singular }: Renaming) => singular !== undefined && isTakenInFormula(singular.from)

/** A field's name in order, with `-` before it where it is descending. */
const order = (name: string, { table, renaming }: Here) => (name.startsWith('-') ? `-${newName(table, name.slice(1), renaming)}` : newName(table, name, renaming))

/** The right side of a clause; `isOfIt`: that its left side is the field that is renamed. */
function operand(value: Operand, isOfIt: boolean, here: Here): Operand {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return newLiteral(value, isOfIt, here.renaming)
  if ('field' in value) return { field: path(value.field, here) }
  return 'formula' in value ? { formula: formula(value.formula, here) } : value
}

const condition = (given: Condition, here: Here): Condition =>
  mappedClauses(given, (clause) => {
    const isOfIt = isPathToIt(clause.field, here.table, here.roots, here.renaming) || (here.isOfGroup === true && clause.field === GROUP)
    return {
      ...clause,
      field: path(clause.field, here),
      ...(clause.value === undefined ? {} : { value: operand(clause.value, isOfIt, here) }),
      ...(clause.to === undefined ? {} : { to: operand(clause.to, isOfIt, here) }),
    }
  })

/** A condition over a list's entries: bare paths are theirs. */
const where = (given: Condition, entries: TableDef | undefined, here: Here) => (entries ? condition(given, { ...here, table: entries }) : given)

/** `table.link`, or a name that stands for a list. */
function list(name: string, { renaming }: Here): string {
  const [table = '', link] = name.split('.')
  return link === undefined ? newRoot(name, renaming) : `${table}.${newName(renaming.schema.get(table), link, renaming)}`
}

/** The table of a list's entries. */
function entriesOf(name: string, { of, roots, renaming }: Here): TableDef | undefined {
  if (name === FIGURE_RECORDS) return of
  const root = roots.get(name)
  return root && root.kind !== 'value' ? root.table : renaming.schema.get(name.split('.')[0] ?? '')
}

function bringIn(bring: BringIn, here: Here): BringIn {
  const entries = bring.list === undefined ? undefined : entriesOf(bring.list, here)
  return {
    ...bring,
    name: newRoot(bring.name, here.renaming),
    ...(bring.link === undefined ? {} : { link: path(bring.link, here) }),
    ...(bring.list === undefined ? {} : { list: list(bring.list, here) }),
    ...(bring.of === undefined ? {} : { of: path(bring.of, here) }),
    ...(bring.where === undefined ? {} : { where: where(bring.where, entries, here) }),
    ...(bring.order === undefined || !entries ? {} : { order: order(bring.order, { ...here, table: entries }) }),
  }
}

function recipient(given: Recipient, here: Here): Recipient {
  if ('list' in given) {
    const entries = entriesOf(given.list, here)
    return { list: list(given.list, here), field: entries ? path(given.field, { ...here, table: entries }) : given.field }
  }
  if ('field' in given) return { field: path(given.field, here) }
  if ('managerOf' in given) return { managerOf: path(given.managerOf, here) }
  return 'text' in given ? { text: text(given.text, here) } : given
}

function value<V extends Value | undefined>(given: V, here: Here): V | Value {
  if (typeof given !== 'object' || given === null) return given
  if ('field' in given) return { field: path(given.field, here) }
  if ('text' in given) return { text: text(given.text, here) }
  return 'formula' in given ? { formula: formula(given.formula, here) } : given
}

/** What a record of a table is set to. */
const set = (given: Readonly<Record<string, Value>>, table: TableDef | undefined, here: Here): Record<string, Value> =>
  Object.fromEntries(Object.entries(given).map(([name, to]) => [newName(table, name, here.renaming), value(newChoice(to, isIts(name, table, here.renaming), here.renaming), here)]))

const attach = (given: readonly Attach[], here: Here): Attach[] => given.map((entry) => ('field' in entry ? { ...entry, field: path(entry.field, here) } : entry))

/** The names at which an email's texts can start, with whoever gets one of several. */
function withRecipient(to: readonly Recipient[], here: Here): Here {
  for (const entry of to) {
    const list = 'list' in entry ? entriesOf(entry.list, here) : undefined
    const holder = list ?? ('field' in entry ? holderOf(entry.field, here) : undefined)
    if (holder?.name === here.renaming.table) return { ...here, roots: new Map([...here.roots, ['recipient', { kind: 'record', table: holder }]]) }
  }
  return here
}

/** The table of the record whose field a path ends at. */
function holderOf(field: string, { table, roots, renaming }: Here): TableDef | undefined {
  const names = field.split('.')
  const { end } = renamedNames(names.slice(0, -1), table, roots, renaming)
  if (names.length === 1) {
    const own = fieldOf(table, field)
    return own && targetOf(own) ? renaming.schema.get(targetOf(own) ?? '') : table
  }
  return end && end.kind !== 'value' ? end.table : undefined
}

function email(action: EmailAction, here: Here): EmailAction {
  const each = withRecipient(action.to, here)
  const about = action.about === undefined ? null : renamedNames(action.about.split('.'), here.table, here.roots, here.renaming).end
  const list = (entries: readonly Recipient[] | undefined) => entries?.map((entry) => recipient(entry, here))
  const files = about && about.kind !== 'value' ? { ...here, table: about.table } : here
  return {
    ...action,
    to: list(action.to) ?? [],
    ...(action.cc ? { cc: list(action.cc) } : {}),
    ...(action.bcc ? { bcc: list(action.bcc) } : {}),
    ...(action.ifNobody ? { ifNobody: list(action.ifNobody) } : {}),
    ...(action.replyTo ? { replyTo: recipient(action.replyTo, here) } : {}),
    ...(action.about === undefined ? {} : { about: path(action.about, here) }),
    ...(action.subject === undefined ? {} : { subject: text(action.subject, each) }),
    ...(action.body === undefined ? {} : { body: text(action.body, each) }),
    ...(action.attach ? { attach: attach(action.attach, files) } : {}),
  }
}

/** Renames in the actions of a list, each with the names that are known where it stands. */
function actions(given: readonly Action[], pointer: string, at: (pointer: string) => Here): Action[] {
  return given.map((action, i) => renamedAction(action, `${pointer}/${i}`, at))
}

function renamedAction(action: Action, pointer: string, at: (pointer: string) => Here): Action {
  const here = at(pointer)
  const { schema } = here.renaming
  switch (action.do) {
    case 'email':
      return email(action, here)
    case 'notice':
      return {
        ...action,
        ...(action.to ? { to: action.to.map((entry) => recipient(entry, here)) } : {}),
        ...(action.title === undefined ? {} : { title: text(action.title, here) }),
        text: text(action.text, here),
      }
    case 'update': {
      const target =
        action.target === undefined ? { kind: 'record' as const, table: here.table } : renamedNames(action.target.split('.'), here.table, here.roots, here.renaming).end
      return {
        ...action,
        ...(action.target === undefined ? {} : { target: path(action.target, here) }),
        set: set(action.set, target && target.kind !== 'value' ? target.table : undefined, here),
      }
    }
    case 'create':
      return { ...action, set: set(action.set, schema.get(action.table), here) }
    case 'task':
      return {
        ...action,
        subject: text(action.subject, here),
        ...(action.owner === undefined ? {} : { owner: 'address' in ownerEntry(action.owner) ? action.owner : path(action.owner, here) }),
        ...(action.due === undefined ? {} : { due: value(action.due, here) }),
        ...(action.about === undefined ? {} : { about: path(action.about, here) }),
        ...(action.note === undefined ? {} : { note: text(action.note, here) }),
      }
    case 'choose':
      return {
        ...action,
        branches: action.branches.map((branch, i) => ({ when: condition(branch.when, here), actions: actions(branch.actions, `${pointer}/branches/${i}/actions`, at) })),
        ...(action.otherwise ? { otherwise: actions(action.otherwise, `${pointer}/otherwise`, at) } : {}),
      }
    case 'each':
      return {
        ...action,
        of: list(action.of, here),
        as: newRoot(action.as, here.renaming),
        ...(action.where ? { where: where(action.where, entriesOf(action.of, here), here) } : {}),
        actions: actions(action.actions, `${pointer}/actions`, at),
      }
  }
}

const keys = (image: unknown, table: TableDef, renaming: Renaming) =>
  typeof image === 'object' && image !== null
    ? Object.fromEntries(Object.entries(membersOf(image)).map(([name, held]) => [newName(table, name, renaming), newChoice(held, isIts(name, table, renaming), renaming)]))
    : image

function example(given: Example, table: TableDef, renaming: Renaming): Example {
  const image = (side: Record<string, unknown> | null | undefined) => keys(side, table, renaming) as typeof side
  const { change, expect } = given
  return {
    ...given,
    ...(change
      ? { change: { ...change, ...(change.before === undefined ? {} : { before: image(change.before) }), ...(change.after === undefined ? {} : { after: image(change.after) }) } }
      : {}),
    expect: { ...expect, ...(expect.set ? { set: image(expect.set) ?? {} } : {}) },
  }
}

/** Whether a workflow runs for groups of a figure that are the values of the field whose choices are renamed. */
function isRunByGroupsOf({ cue }: Workflow, table: TableDef, { schema, table: renamed, from, choices }: Renaming): boolean {
  const figure = cue.kind === 'figure' ? cue.figure : 'over' in cue ? cue.over?.figure : undefined
  const field = schema.get(renamed)?.fields.find((f) => f.name === from)
  return choices !== undefined && figure !== undefined && figuresGroupedBy(schema, field).some((known) => known === figureOf(table, figure))
}

/** A workflow that speaks of a field by its new name wherever it spoke of it by the old one; the same document where it does not. */
export function renamedInWorkflow(workflow: Workflow, renaming: Renaming): Workflow {
  const table = renaming.schema.get(workflow.table)
  if (!table || (renaming.singular && table.name !== renaming.table)) return workflow
  const shape = shapeOf(workflow, table)
  const isOfGroup = isRunByGroupsOf(workflow, table, renaming)
  const at = (pointer: string): Here => ({
    of: table,
    table: pointer === '/conditions' || pointer === '/cue' ? table : shape.table,
    roots: scopeAt(workflow, pointer, table, renaming),
    renaming,
    isOfGroup,
  })
  const { cue, limits } = workflow
  const columns = limits?.digest?.columns
  return {
    ...workflow,
    cue:
      cue.kind === 'record' && cue.fields
        ? { ...cue, fields: cue.fields.map((name) => newName(table, name, renaming)) }
        : cue.kind === 'timetable' && cue.order
          ? { ...cue, order: order(cue.order, at('/cue')) }
          : cue,
    ...(workflow.conditions ? { conditions: condition(workflow.conditions, at('/conditions')) } : {}),
    ...(workflow.bringIn ? { bringIn: workflow.bringIn.map((bring, i) => bringIn(bring, at(`/bringIn/${i}`))) } : {}),
    ...(workflow.values
      ? {
          values: workflow.values.map((named, i) => ({
            ...named,
            name: newRoot(named.name, renaming),
            ...(named.formula === undefined ? {} : { formula: formula(named.formula, at(`/values/${i}`)) }),
            ...(named.text === undefined ? {} : { text: text(named.text, at(`/values/${i}`)) }),
          })),
        }
      : {}),
    actions: actions(workflow.actions, '/actions', at),
    ...(limits?.digest && columns ? { limits: { ...limits, digest: { ...limits.digest, columns: columns.map((column) => path(column, at('/limits'))) } } } : {}),
    ...(workflow.examples ? { examples: workflow.examples.map((given) => example(given, table, renaming)) } : {}),
  }
}

/** A template that speaks of a field by its new name. */
export function renamedInTemplate<T extends Template>(template: T, renaming: Renaming): T {
  const table = renaming.schema.get(template.table)
  if (!table || (renaming.singular && table.name !== renaming.table)) return template
  const here: Here = { of: table, table, roots: baseRoots(table), renaming }
  return {
    ...template,
    subject: text(template.subject, here),
    body: text(template.body, here),
    ...(template.attachments ? { attachments: attach(template.attachments, here) } : {}),
  }
}

/** A view of a table's records that names a field anew. */
export function renamedInView(view: View, table: TableDef, renaming: Renaming): View {
  const here: Here = { of: table, table, roots: new Map(), renaming }
  const name = (field: string) => newName(table, field, renaming)
  return {
    ...view,
    ...(view.where ? { where: condition(view.where, here) } : {}),
    ...(view.order
      ? {
          order: view.order
            .split(',')
            .map((part) => order(part, here))
            .join(','),
        }
      : {}),
    ...(view.group ? { group: name(view.group) } : {}),
    ...(view.columns ? { columns: view.columns.map(name) } : {}),
    ...(view.widths ? { widths: Object.fromEntries(Object.entries(view.widths).map(([field, width]) => [name(field), width])) } : {}),
  }
}
