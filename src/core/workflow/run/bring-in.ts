import { isRelativeToClock } from '../../conditions/clause'
import { asRightSide, compileReader, type Setting } from '../../conditions/compile'
import { standingOf } from '../../cues/occasion'
import { type Condition, isClause, joined, jointOf, type Operand } from '../../document/condition'
import type { BringIn } from '../../document/document'
import { behind } from '../../figures/behind'
import { compileFormula } from '../../formula/formula'
import { partsOf } from '../../must'
import { baseRoots, checkRooted, endTable, type RootDef, type Roots } from '../../paths/roots'
import { type Compared, fieldOf, idFrom, type Stored, type TableDef, targetOf } from '../../values/tables'
import type { RunState } from './state'

/** Fetches what is brought in under its name. */
export type Bringer = (run: RunState) => void

/** What names are looked up in. */
export type Known = Pick<Setting, 'schema' | 'roots'>

/** What a thing brought in stands for, or the sentence that says why it cannot be brought in. */
export function bringInRoot(bring: BringIn, table: TableDef, setting: Known): RootDef | { problem: string; part: 'link' | 'list' | 'of' } {
  const roots = setting.roots ?? new Map()
  if (bring.link !== undefined) {
    const rooted = checkRooted(setting.schema, table, roots, bring.link)
    if ('problem' in rooted) return { problem: rooted.problem, part: 'link' }
    const target = endTable(setting.schema, rooted)
    return target ? { kind: 'record', table: target } : { problem: `${bring.link} is not a link, so there is nothing to bring in.`, part: 'link' }
  }
  if (bring.list === FIGURE_RECORDS) return behindFigure(table, setting)
  const [name, field] = partsOf(bring.list ?? '')
  const list = name === 'person' ? undefined : setting.schema.get(name)
  if (!list) return { problem: name === '' ? 'No list is chosen yet.' : `There is no table ${JSON.stringify(name)} to bring in from.`, part: 'list' }
  if (field === undefined) return { kind: 'list', table: list }
  const link = fieldOf(list, field)
  const target = link && targetOf(link)
  if (!link || !target) return { problem: `${list.label} has no link ${JSON.stringify(field)}.`, part: 'list' }
  const owner = ownerOf(bring, table, setting, roots)
  if ('problem' in owner) return owner
  if (owner.table.name !== target)
    return { problem: `${list.label}’s ${link.label.toLowerCase()} points at ${target}, not at ${owner.table.name}.`, part: bring.of ? 'of' : 'list' }
  return { kind: 'list', table: list }
}

/** The name of the records behind a crossing, as a list to bring in. */
export const FIGURE_RECORDS = 'figure.records'

/** The table whose records are behind a crossing; with `figure`, where there is one. */
function behindFigure({ name }: TableDef, { schema, roots }: Known): RootDef | { problem: string; part: 'list' } {
  const table = schema.get(name)
  return table && roots?.has('figure')
    ? { kind: 'list', table }
    : { problem: 'There are records behind a figure only where a figure sets the workflow off, or it goes through the groups of one.', part: 'list' }
}

/** The record that a related list belongs to: the record itself, or what `of` leads to. */
function ownerOf(bring: BringIn, table: TableDef, setting: Known, roots: Roots): { table: TableDef } | { problem: string; part: 'of' } {
  if (!bring.of) return table.none === undefined ? { table } : { problem: table.none, part: 'of' }
  const rooted = checkRooted(setting.schema, table, roots, bring.of)
  if ('problem' in rooted) return { problem: rooted.problem, part: 'of' }
  const end = endTable(setting.schema, rooted)
  return end ? { table: end } : { problem: `${bring.of} leads to no record.`, part: 'of' }
}

/** What conditions on the entries of a list are compiled with: bare paths mean the entry, the record goes by its names. */
export function entrySetting(setting: Setting, table: TableDef): Setting {
  return { ...setting, roots: new Map([...(setting.roots ?? []), ...(table.none === undefined ? baseRoots(table) : [])]) }
}

/** Compiles a thing brought in. @throws Error when it does not fit */
export function compileBringIn(bring: BringIn, table: TableDef, setting: Setting): Bringer {
  const root = bringInRoot(bring, table, setting)
  if ('problem' in root) throw new Error(root.problem)
  if (root.kind === 'value') throw new Error(`${bring.name} cannot be brought in.`)
  if (bring.link !== undefined) {
    const { read } = compileReader(bring.link, table, setting)
    return (run) => {
      const id = idFrom(read(run.facts(), run.record()))
      run.roots.set(bring.name, { kind: 'record', table: root.table, image: id === null ? null : run.lookups.record(root.table.name, id) })
    }
  }
  const field = bring.list === FIGURE_RECORDS ? undefined : (bring.list ?? '').split('.')[1]
  const of = bring.of ? compileReader(bring.of, table, setting).read : null
  const where = bring.where ? settleCondition(bring.where, root.table, table, entrySetting(setting, table)) : null
  const order = bring.order ? { order: bring.order } : {}
  const limit = bring.limit ? { limit: bring.limit } : {}
  const isTimed = bring.where !== undefined && isRelativeToClock(bring.where)
  const isBehind = bring.list === FIGURE_RECORDS
  return (run) => {
    const standing = isBehind ? standingOf(run.occasion) : null
    const id = idFrom(of ? of(run.facts(), run.record()) : run.record().id)
    const isNowhere = field !== undefined && id === null
    const link = field === undefined || id === null ? {} : { link: { field, id } }
    const at = isTimed ? { at: run.occasion.at.toISOString() } : {}
    const clauses = [...(standing ? behind(standing, run.occasion.at, root.table, setting.schema, setting.organisation.zone) : []), ...(where ? [where(run)] : [])]
    const all = clauses.length ? { where: clauses.length === 1 && clauses[0] ? clauses[0] : { all: clauses } } : {}
    const images = isNowhere ? [] : run.lookups.list({ table: root.table.name, ...link, ...all, ...order, ...limit, ...at })
    run.roots.set(bring.name, { kind: 'list', table: root.table, images })
  }
}

/** Compiles a condition on entries to one in which nothing refers to the run any more: what the right sides mean is put in their place. */
function settleCondition(node: Condition, entry: TableDef, table: TableDef, setting: Setting): (run: RunState) => Condition {
  if (isClause(node)) {
    const { type, key } = compileReader(node.field, entry, setting)
    const sides = (['value', 'to'] as const).map((side) => settleOperand(node[side], { type, key }, entry, table, setting))
    return (run) => {
      const [value, to] = sides.map((side) => side(run))
      return { ...node, ...(value === undefined ? {} : { value }), ...(to === undefined ? {} : { to }) }
    }
  }
  const [joint, children] = jointOf(node)
  const settled = children.map((child) => settleCondition(child, entry, table, setting))
  return (run) =>
    joined(
      joint,
      settled.map((child) => child(run)),
    )
}

function settleOperand(operand: Operand | undefined, field: Compared, entry: TableDef, table: TableDef, setting: Setting): (run: RunState) => Operand | undefined {
  if (operand === null || typeof operand !== 'object' || Array.isArray(operand)) return () => operand
  if ('formula' in operand) {
    const work = compileFormula(operand.formula)
    return (run) => asRightSide(work(run.formulaFacts()), field, setting)
  }
  if ('changedBy' in operand) return (run) => run.occasion.by.person
  if (!('field' in operand)) return () => operand
  const rooted = checkRooted(setting.schema, entry, setting.roots ?? new Map(), operand.field)
  if ('problem' in rooted || rooted.root === null) return () => operand
  const { read } = compileReader(operand.field, table, setting)
  return (run) => (read(run.facts(), run.record()) ?? null) as Stored as Operand
}
