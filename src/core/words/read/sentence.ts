import { shapeOf } from '../../cues/kinds'
import { type Condition, together } from '../../document/condition'
import type { Action, BringIn, Cue, Limits, RecordCue, Workflow } from '../../document/document'
import { pointerNames, valueAt } from '../../document/pointer'
import type { TableDef } from '../../values/tables'
import { scopeAt } from '../../workflow/scope'
import { nameFrom, withTexts } from '../facts'
import { readActions } from './actions'
import { readBring } from './bring'
import { readCron } from './by-clock'
import { readCondition, unless } from './conditions'
import type { ReadCue, ScopeOf } from './cue-scope'
import { readCue } from './cues'
import { type Deeds, noDeeds } from './deeds'
import { type Installation, vocabularyOf } from './installation'
import { readLimit } from './limits'
import { mailTo } from './mail'
import type { Scope } from './paths'
import { type Fork, type Order, Reader, type Unread } from './reader'
import { readStaysLine, staying } from './stays'
import { AND, BRING_VERBS, CREATE_VERBS, EMAIL_VERBS, EVERY_TIME, IF, NOTICE_VERBS, SEND, SET_VERBS, TASK_VERBS, THEN, UNLESS, WHEN, WHERE } from './vocabulary'

/** What was read of words, and what was not. */
export interface Reading {
  /** Null where it is not said what about. */
  readonly workflow: Workflow | null
  readonly unread: readonly Unread[]
  /** Other ways in which the words can be meant. */
  readonly forks: readonly Fork[]
  readonly completions: { readonly from: number; readonly words: readonly string[] }
}

/** What words add to a brief. */
export interface Addition {
  readonly cue: Cue | null
  readonly stays: string | null
  readonly firing: Workflow['firing'] | null
  readonly conditions: readonly Condition[]
  readonly bringIn: readonly BringIn[]
  readonly actions: readonly Action[]
  readonly limits: Limits
  /** Paths that mail was asked to say, by the action’s name. */
  readonly says: ReadonlyMap<string, readonly string[]>
  /** The character at which it begins to say what is done; null where it says nothing of that. */
  readonly deedsFrom: number | null
}

/** Most completions that are offered. */
const MOST_COMPLETIONS = 12

/** Where words are read in a workflow: at a pointer, with what is known there. */
export function scopeIn(workflow: Workflow, pointer: string, installation: Installation, own?: TableDef): Scope | null {
  const table = own ?? installation.schema.get(workflow.table)
  if (!table) return null
  const isActions = !pointer.startsWith('/conditions') && !pointer.startsWith('/cue')
  const roots = scopeAt(workflow, pointer, table, installation)
  const entry = entryAt(workflow, pointer) ?? (roots.has('figure') ? 'figure' : null) // whose owner is meant, where no one record is
  const root = entry === null ? undefined : roots.get(entry)
  return {
    table: isActions ? shapeOf(workflow, table).table : (shapeOf(workflow, table).about ?? table),
    roots,
    ...(entry !== null && root?.kind === 'record' ? { entry: { name: entry, table: root.table } } : {}),
    installation,
    words: vocabularyOf(installation),
  }
}

/** What the entries of the innermost repetition around a pointer are called; null where there is none. */
function entryAt(workflow: Workflow, pointer: string): string | null {
  const names = pointerNames(pointer)
  for (let depth = names.length - 1; depth > 0; depth--) {
    const holder = valueAt<Action>(workflow, `/${names.slice(0, depth).join('/')}`)
    if (holder && !Array.isArray(holder) && holder.do === 'each') return holder.as
  }
  return null
}

const bare = (table: TableDef, cue: Cue): Workflow => ({ rappel: 'workflow/1', name: '', table: table.name, cue, actions: [] })

/** How a sentence is read: `table` is meant where none is named, `picks` say which way is taken where words can be meant in several. */
interface SentenceOptions {
  readonly table?: TableDef | null
  readonly picks?: ReadonlyMap<number, number>
}

/** Reads a sentence: what a workflow waits for, on what conditions, and what it does; or turned round, as in “email its owner when a claim is closed”. */
export function readSentence(text: string, installation: Installation, options: SentenceOptions = {}): Reading {
  const straight = readIn([], text, installation, options)
  const turned = orderOf(text, installation, options.table ?? null)
  return turned === null ? straight : { ...readIn(turned, text, installation, options), completions: straight.completions }
}

/** Where bare words are of a table’s records, before a cue is known. */
const anywhereIn =
  (installation: Installation, on: RecordCue['on'] = ['created', 'changed']): ScopeOf =>
  (of) => ({ table: of, roots: scopeAt(bare(of, { kind: 'record', on }), '/conditions', of, installation), installation, words: vocabularyOf(installation) })

/** How a sentence is read that begins with what is done: what it waits for first; null where it does not begin so. */
function orderOf(text: string, installation: Installation, table: TableDef | null): Order | null {
  const r = new Reader(text)
  r.take(THEN)
  if (!DEED_VERBS.some((verbs) => r.sees(() => r.take(verbs)))) return null
  let tried = 0
  for (r.at++; !r.isDone && tried < MOST_TURNED; r.at++) {
    const begin = r.at
    const clockEnds = CLOCK_BEGINS.test(r.token?.key ?? '') ? r.ahead(() => (readCron(r) === null ? null : r.at)) : null
    if (clockEnds === null && !r.sees(() => r.take(WHEN))) continue
    tried++
    // whom mail goes to stands behind the moments at which it does
    const order: Order = clockEnds === null ? [[begin], [0, begin]] : [[begin, clockEnds], [0, begin], [clockEnds]]
    if (readCue(new Reader(text, undefined, undefined, order), anywhereIn(installation), vocabularyOf(installation), table)) return order
  }
  return null
}

/** Most places at which it is tried whether a sentence says there what is waited for. */
const MOST_TURNED = 12

const DEED_VERBS = [EMAIL_VERBS, SEND, SET_VERBS, TASK_VERBS, NOTICE_VERBS, CREATE_VERBS]
const CLOCK_BEGINS = /^(every|each|on|at|once|daily|hourly|weekly|monthly|quarterly|yearly)$/

/** Reads a sentence with its parts in an order. */
function readIn(order: Order, text: string, installation: Installation, { table = null, picks }: SentenceOptions): Reading {
  const r = new Reader(text, picks, undefined, order)
  const from = r.token?.from ?? 0
  let cue: ReadCue | null = null
  while (!cue && !r.isDone) {
    cue = readCue(r, anywhereIn(installation), vocabularyOf(installation), table)
    if (!cue) r.skip('What is waited for was not understood: begin with “when a …”, “every working day at 07:00” or “by hand”.')
  }
  if (!cue) return { workflow: null, unread: r.unread, forks: r.forks, completions: r.completions(MOST_COMPLETIONS) }
  const first = bare(cue.table, cue.cue)
  const added = readAdditions(r, { ...first, ...(cue.conditions ? { conditions: cue.conditions } : {}) }, installation, { to: cue.to })
  const conditions = together(cue.conditions, added.conditions)
  const workflow: Workflow = {
    ...first,
    cue: staying(first.cue, added.stays),
    ...(conditions ? { conditions } : {}),
    ...(added.firing ? { firing: added.firing } : {}),
    ...(added.bringIn.length ? { bringIn: [...added.bringIn] } : {}),
    actions: [...added.actions],
    ...(Object.keys(added.limits).length ? { limits: added.limits } : {}),
  }
  const end = added.deedsFrom !== null && added.deedsFrom > from ? added.deedsFrom : text.length
  const named = { ...workflow, name: nameFrom(text.slice(from, end), cue.table) }
  return { workflow: withTexts(named, added.says, installation), unread: r.unread, forks: r.forks, completions: r.completions(MOST_COMPLETIONS) }
}

/** Reads what is said behind the cue, up to the end of the text; what is not understood is marked and passed over. */
function readAdditions(
  r: Reader,
  workflow: Workflow,
  installation: Installation,
  { pointer = '/actions/9999', to = [] }: { readonly pointer?: string; readonly to?: ReadCue['to'] } = {},
): Addition {
  const deeds = noDeeds()
  const conditions: Condition[] = []
  const actions: Action[] = []
  let stays: string | null = null
  let deedsFrom: number | null = null
  let firing: Workflow['firing'] | null = null
  const atFirst = to.length ? scopeIn(workflow, pointer, installation) : null
  if (atFirst) actions.push(mailTo(r, atFirst, deeds, to))
  while (!r.isDone) {
    const known = { ...workflow, bringIn: [...(workflow.bringIn ?? []), ...deeds.bringIn], actions: [...workflow.actions, ...actions] }
    const [inActions, inConditions] = [scopeIn(known, pointer, installation), scopeIn(known, '/conditions', installation)]
    if (!inActions || !inConditions) break
    const begin = r.at
    const length = r.past([',', AND], () => readStaysLine(r, inConditions))
    if (length) {
      stays = length.stays
      conditions.push(...length.clauses)
      continue
    }
    if (r.past([','], () => r.take(EVERY_TIME))) {
      firing = 'every'
      continue
    }
    if (r.past([',', AND], () => (r.take(BRING_VERBS) && readBring(r, inActions, deeds)) || null)) continue
    if (readLimitLine(r, inActions, deeds)) continue
    const from = r.token?.from ?? null
    const done = readActions(r, inActions, deeds)
    if (done.length) deedsFrom ??= from
    actions.push(...done)
    if (done.length) continue
    const condition = readConditionLine(r, inConditions)
    if (condition) conditions.push(condition)
    if (r.at > begin) continue
    if (r.sign(',', ';', '.', ':') || r.take(AND) || r.take(THEN)) continue
    r.skip()
  }
  return { cue: null, stays, firing, conditions, bringIn: deeds.bringIn, actions, limits: deeds.limits, says: deeds.says, deedsFrom }
}

const readLimitLine = (r: Reader, scope: Scope, deeds: Deeds) => r.past([',', AND], () => readLimit(r, scope, deeds) || null) !== null

const readConditionLine = (r: Reader, scope: Scope): Condition | null =>
  r.attempt(() => {
    r.sign(',', ';')
    r.take(AND)
    const isUnless = r.take(UNLESS) !== null
    if (!isUnless) r.take(WHERE) || r.take(IF)
    const condition = readCondition(r, scope)
    return condition && isUnless ? unless(condition) : condition
  })

/** Reads one line that is typed into a brief, at the line where it would stand: conditions, things to bring in, actions, limits, or another cue. */
export function readLine(
  text: string,
  workflow: Workflow,
  pointer: string,
  installation: Installation,
): { readonly added: Addition; readonly unread: readonly Unread[]; readonly completions: Reading['completions'] } {
  const r = new Reader(text)
  const table = installation.schema.get(workflow.table)
  const first = r.attempt(() => {
    const cue = table ? readCue(r, anywhereIn(installation, ['changed']), vocabularyOf(installation), table) : null
    return cue && cue.table === table && isCueAlone(text) ? cue : null
  })
  const added = readAdditions(r, workflow, installation, { pointer })
  const withCue: Addition = first ? { ...added, cue: first.cue, conditions: [...(first.conditions ? [first.conditions] : []), ...added.conditions] } : added
  return { added: withTextsOf(withCue, workflow, installation), unread: r.unread, completions: r.completions(MOST_COMPLETIONS) }
}

/** Whether a line says when, rather than what holds: “when …”, “every …”, “by hand”. */
const isCueAlone = (text: string) => /^\s*(when|whenever|every|each|by hand|daily|hourly)\b/i.test(text)

/** What was added, its mail with texts that say the facts. */
function withTextsOf(added: Addition, workflow: Workflow, installation: Installation): Addition {
  const conditions = together(workflow.conditions, added.conditions)
  const whole: Workflow = { ...workflow, ...(conditions ? { conditions } : {}), bringIn: [...(workflow.bringIn ?? []), ...added.bringIn], actions: [...added.actions] }
  return { ...added, actions: withTexts(whole, added.says, installation).actions }
}
