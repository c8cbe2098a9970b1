import type { Condition, Joint } from '../../document/condition'
import type { Action, BringIn, Limits, Workflow } from '../../document/document'
import { typedLimit } from '../../limits/typed'
import { must, partsOf } from '../../must'
import { nounOf } from '../../values/naming'
import type { TableDef } from '../../values/tables'
import { deliveryOf } from '../../workflow/delivery'
import { JOINT_WORDS } from '../brief'
import { readAction } from '../read/actions'
import { readBring } from '../read/bring'
import { readCondition } from '../read/conditions'
import { readCue } from '../read/cues'
import { type Deeds, nameOf } from '../read/deeds'
import { type Installation, vocabularyOf } from '../read/installation'
import type { Scope } from '../read/paths'
import { Reader, type Unread } from '../read/reader'
import { scopeIn } from '../read/sentence'

/** What reading the words of one line gives: the part of the document that they say, and what was not understood. */
export interface Said<T> {
  readonly is: T | null
  readonly isClear: boolean
  readonly unread: () => readonly Unread[]
}

const NOTHING = { isClear: true, unread: () => [] }

/** Most steps that the reading of one line takes; a line needs a few hundred. */
const MOST_STEPS_OF_LINE = 15_000

/** Reads a line's words whole: what is left over was not understood. */
function whole<T>(words: string, read: (r: Reader) => T | null): Said<T> {
  const r = new Reader(words, new Map(), MOST_STEPS_OF_LINE)
  const is = read(r)
  while (!r.isDone) r.skip()
  return { is, isClear: r.isClear, unread: () => r.unread }
}

/** The table and cue that a line says; what it says of its conditions is left to the lines under it. */
export function saidCue(words: string, installation: Installation, table: TableDef | null): Said<Pick<Workflow, 'table' | 'cue'>> {
  const scopeOf = (of: TableDef): Scope => ({ table: of, roots: new Map(), installation, words: vocabularyOf(installation) })
  return whole(words, (r) => {
    const read = readCue(r, scopeOf, vocabularyOf(installation), table)
    return read && { table: read.table.name, cue: read.cue }
  })
}

/** Where a line is read: in the workflow as far as it was read. */
function placed(workflow: Workflow, pointer: string, installation: Installation): Scope | null {
  const here = PLACED.get(installation) ?? new WeakMap<Workflow, Map<string, Scope | null>>()
  PLACED.set(installation, here)
  const known = here.get(workflow) ?? new Map<string, Scope | null>()
  here.set(workflow, known)
  if (!known.has(pointer)) known.set(pointer, scopeIn(workflow, pointer, installation))
  return known.get(pointer) ?? null
}

/** What is known at pointers of workflows; the clauses of one know the same. */
const PLACED = new WeakMap<Installation, WeakMap<Workflow, Map<string, Scope | null>>>()

/** How a line joins those under it; null where it joins none. */
export const jointSaid = (words: string): Joint | null => JOINTS.find((joint) => JOINT_WORDS[joint] === words.split(',')[0]?.trim()) ?? null

const JOINTS = ['all', 'any', 'none'] as const

/** Whether a line of conditions says that they fire every time. */
export const isEveryTime = (words: string): boolean => /,\s*every time$/.test(words)

export function saidCondition(words: string, workflow: Workflow, pointer: string, installation: Installation): Said<Condition> {
  const scope = placed(workflow, pointer, installation)
  return scope ? whole(words, (r) => readCondition(r, scope)) : { is: null, ...NOTHING }
}

export function saidBring(words: string, workflow: Workflow, pointer: string, installation: Installation): Said<BringIn> {
  const scope = placed(workflow, pointer, installation)
  const bringIn: BringIn[] = []
  return scope ? whole(words, (r) => (readBring(r, scope, { bringIn }) ? (bringIn[0] ?? null) : null)) : { is: null, ...NOTHING }
}

/** “net is = amount - offer”, “greeting is Dear …”. */
export function saidValue(words: string): Said<NonNullable<Workflow['values']>[number]> {
  const [, name, is] = /^(\S+) is ?(.*)$/.exec(words) ?? []
  if (name === undefined || is === undefined) return { is: null, ...NOTHING }
  return { is: is.startsWith('= ') ? { name, formula: is.slice(2) } : { name, text: is }, ...NOTHING }
}

export function saidLimit(words: string, noun: string): Said<Limits> {
  return { is: typedLimit(words, noun), ...NOTHING }
}

/** What each role begins with where the same is said in a sentence. */
const VERBS: Readonly<Record<string, string>> = { email: 'email ', notice: 'notice ', update: 'set ', create: 'create ', task: 'task ' }

/** An action as its line says it; what stands under it comes from the lines there. */
export function saidAction(role: string, words: string, workflow: Workflow, pointer: string, installation: Installation, deeds: Deeds): Said<Action> {
  const scope = placed(workflow, pointer, installation)
  if (!scope) return { is: null, ...NOTHING }
  if (role === 'choose') return { is: { name: nameOf('choice', deeds), do: 'choose', branches: [] }, ...NOTHING }
  if (role === 'each') return saidEach(words, scope, deeds)
  const read = whole(`${VERBS[role] ?? ''}${words}`, (r) => readAction(r, scope, deeds, 0))
  const shift = (VERBS[role] ?? '').length
  const unread = () => read.unread().map((u) => ({ ...u, from: Math.max(0, u.from - shift), to: Math.max(0, u.to - shift) }))
  return { is: read.is && asSaid(read.is), isClear: read.isClear, unread }
}

/** An email without what it would do anyway: one each where it goes over a list. */
function asSaid(action: Action): Action {
  if (action.do !== 'email' || action.delivery === undefined) return action
  const { delivery, ...rest } = action
  return deliveryOf(rest) === delivery ? rest : action
}

/** “booking, where seats is more than 1”, “booking of guests”. */
function saidEach(words: string, scope: Scope, deeds: Deeds): Said<Action> {
  const [, said = '', , where] = /^([^,]+)(, where (.*))?$/s.exec(words) ?? []
  const [, as = said, list = ''] = /^(.+) of (.+)$/.exec(said) ?? []
  const own = [...scope.installation.schema.values()].find((t) => nounOf(t) === said && t.fields.some((f) => f.type === 'link' && f.table === scope.table.name))
  const name = own ? own.name : list.replaceAll(' ', '_')
  const root = scope.roots.get(name)
  const brought = !own && root?.kind === 'list' ? root.table : undefined
  const table = brought ?? scope.installation.schema.get(name)
  const link = brought ? undefined : table?.fields.filter((f) => f.type === 'link' && f.table === scope.table.name)
  const of = link?.[0] ? `${name}.${link[0].name}` : name
  const read: Said<Condition> = where === undefined || !table ? { is: null, ...NOTHING } : whole(where, (r) => readCondition(r, { ...scope, table }))
  return {
    is: { name: nameOf('each', deeds), do: 'each', of, as: as.replaceAll(' ', '_'), ...(read.is ? { where: read.is } : {}), actions: [] },
    isClear: read.isClear,
    unread: read.unread,
  }
}

/** The noun of a workflow's table. */
export const nounIn = (workflow: Pick<Workflow, 'table'>, { schema }: Installation): string => {
  const table = schema.get(workflow.table)
  return table ? nounOf(table) : must(partsOf(workflow.table)[0])
}
