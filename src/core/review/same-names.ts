import { type Condition, isClause, jointOf } from '../document/condition'
import type { Action, Workflow } from '../document/document'
import { emailText } from '../message/format'
import { parseTemplate, templatePaths } from '../message/liquid'
import { bodyEngine } from '../message/render'
import { must } from '../must'
import { checkRooted, endTable, type RootDef, type RootedPath } from '../paths/roots'
import { type FieldType, fieldOf, type TableDef } from '../values/tables'
import { activeActions, everyRoot } from '../workflow/active'
import type { Finding, ReviewSetting } from './context'

/** Something whose fields a workflow uses: the record, what it links to, what is brought in. */
interface Thing {
  readonly said: string
  readonly table: TableDef
  readonly fields: Set<string>
}

/** Kinds of fields that are confused: one of them looks like another in a mail. */
const CONFUSED: readonly FieldType[] = ['email', 'phone', 'money', 'number', 'date', 'date-time']

const MOST = 3

/** Warns where a text uses a field of one thing while another thing used here has a field of that name too, and says which is meant. */
export function reviewSameNames(workflow: Workflow, setting: ReviewSetting): Finding[] {
  const table = setting.schema.get(workflow.table)
  if (!table) return []
  const roots = everyRoot(workflow, table, setting.schema)
  const things = new Map<string, Thing>()
  const uses: { path: string; thing: string; field: string }[] = []
  const note = (text: string, at: string | null) => {
    const rooted = checkRooted(setting.schema, table, roots, text)
    if ('problem' in rooted) return
    const used = thingAt(rooted, text, table, setting)
    if (!used) return
    const thing = things.get(used.key) ?? { said: used.said, table: used.table, fields: new Set<string>() }
    things.set(used.key, thing)
    if (used.field === null) return
    thing.fields.add(used.field)
    if (at) uses.push({ path: at, thing: used.key, field: used.field })
  }
  if (workflow.conditions) for (const path of pathsOf(workflow.conditions)) note(path, null)
  for (const { action, path } of activeActions(workflow.actions)) {
    for (const text of recipientPaths(action)) note(text, null)
    for (const text of placeholders(action, setting, roots)) note(text, path)
  }
  return uses
    .flatMap((use) => findingFor(use, things))
    .filter(isFirst)
    .slice(0, MOST)
}

function findingFor({ path, thing, field }: { path: string; thing: string; field: string }, things: ReadonlyMap<string, Thing>): Finding[] {
  const own = must(things.get(thing))
  const def = fieldOf(own.table, field)
  if (!def || !CONFUSED.includes(def.type)) return []
  const others = [...things].filter(([key, other]) => key !== thing && other.table !== own.table && fieldOf(other.table, field) && !other.fields.has(field))
  if (others.length === 0) return []
  const label = def.label.toLowerCase()
  const also = others.map(([, o]) => o.said).join(' and ')
  return [
    {
      level: 'warning',
      code: 'same name',
      path,
      message: `The ${label} here is that of ${own.said}; ${also} ${others.length > 1 ? 'have' : 'has'} one too. Make sure that it is the one you mean.`,
    },
  ]
}

const isFirst = (finding: Finding, i: number, all: readonly Finding[]) => all.findIndex((f) => f.message === finding.message) === i

/** The thing that a path's last field belongs to; where the path ends with a link, the thing that it points at. */
function thingAt(
  { root, table: rootTable, path }: RootedPath,
  text: string,
  own: TableDef,
  { schema }: ReviewSetting,
): { key: string; said: string; table: TableDef; field: string | null } | null {
  if (!path) return rootTable ? { key: must(root), said: said([must(root)], own), table: rootTable, field: null } : null
  const names = text.split('.')
  const start = root === null || root === 'record' || root === 'before' || root === own.singular ? [] : [root]
  const links = path.links.map((l) => l.name)
  const end = endTable(schema, { root, table: rootTable, path })
  if (end) return { key: [...start, ...links, path.field.name].join('.'), said: said([...start, ...links, path.field.name], own), table: end, field: null }
  const table = path.links.length ? schema.get(must(path.links[path.links.length - 1]).table ?? 'person') : path.table
  if (!table || names.length === 0) return null
  return { key: [...start, ...links].join('.'), said: said([...start, ...links], own), table, field: path.field.name }
}

/** A thing in words: “the claim”, “the owner”, “the booking’s passenger”. */
function said(names: readonly string[], own: TableDef): string {
  if (names.length === 0) return `the ${own.singular.replaceAll('_', ' ')}`
  return `the ${names.map((n) => n.replaceAll('_', ' ')).join('’s ')}`
}

function pathsOf(node: Condition): string[] {
  if (!isClause(node)) return jointOf(node)[1].flatMap(pathsOf)
  return node.muted ? [] : [node.field]
}

function recipientPaths(action: Action): string[] {
  const entries = action.do === 'email' ? [...action.to, ...(action.cc ?? []), ...(action.bcc ?? [])] : []
  return entries.flatMap((entry) => ('list' in entry ? [] : 'field' in entry ? [entry.field] : 'managerOf' in entry ? [`${entry.managerOf}.manager`] : []))
}

/** The paths of an email's placeholders, as conditions would write them. */
function placeholders(action: Action, { engines, templates }: ReviewSetting, roots: ReadonlyMap<string, RootDef>): string[] {
  if (action.do !== 'email') return []
  const template = action.template === undefined ? undefined : templates?.get(action.template)
  const { subject, body, format } = emailText(action, template)
  return [[subject, engines.plain] as const, [body, bodyEngine(engines, format)] as const].flatMap(([source, engine]) => {
    const parsed = parseTemplate(engine, source)
    if ('problem' in parsed) return []
    return templatePaths(engine, parsed.templates).flatMap((names) => (roots.has(must(names[0])) && names.length > 1 ? [names.join('.')] : []))
  })
}
