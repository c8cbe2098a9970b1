import type { Action, Workflow } from '../../document/document'
import type { RootDef } from '../../paths/roots'
import { readCondition } from './conditions'
import { type Deeds, nameOf } from './deeds'
import { readLimit } from './limits'
import { readEmail } from './mail'
import { readList, readPath, type Scope } from './paths'
import type { Reader } from './reader'
import { bringList, readRecipients } from './recipients'
import { readTask } from './tasks'
import { readSet, readValue } from './values'
import { AND, AS, CHANNEL, CREATE_VERBS, DETERMINERS, EMAIL_VERBS, FOR_EACH, IF, IN, MAIL_PARTS, NOTICE_VERBS, OTHERWISE, SET_VERBS, THEN, TO, WHERE } from './vocabulary'

/** Deepest that repetitions and branches are read. */
const DEEPEST = 3

/** Actions in words, one after the other: “email its owner, set due to tomorrow”. What is read with `scope` knows what earlier ones created. */
export function readActions(r: Reader, scope: Scope, deeds: Deeds, depth = 0): Action[] {
  const actions: Action[] = []
  let known = scope
  for (;;) {
    const at = r.at
    if (depth > 0 && r.token?.key === ';') return actions // it ends what is inside
    while (r.sign(',', ';', '.', ':') || r.take(AND) || r.take(THEN)) if (r.isDone) break
    if (r.isDone || (depth > 0 && r.sees(() => r.take(OTHERWISE)))) return back(r, actions, at)
    const action = readAction(r, known, deeds, depth)
    if (action) {
      actions.push(action)
      known = withMade(known, action)
    } else if (depth > 0 || !readLimit(r, known, deeds)) return back(r, actions, at)
  }
}

function back(r: Reader, actions: Action[], at: number): Action[] {
  if (!r.isDone) r.at = at
  return actions
}

/** Where a record that an action created is known by its name. */
function withMade(scope: Scope, action: Action): Scope {
  const table = action.do === 'create' ? scope.installation.schema.get(action.table) : undefined
  return table ? { ...scope, roots: new Map([...scope.roots, [action.name, { kind: 'record', table } satisfies RootDef]]) } : scope
}

/** One action. Null where none stands here. */
export function readAction(r: Reader, scope: Scope, deeds: Deeds, depth: number): Action | null {
  return r.attempt(
    () =>
      readTask(r, scope, deeds) ??
      readNotice(r, scope, deeds) ??
      readEmail(r, scope, deeds) ??
      readUpdate(r, scope, deeds) ??
      readCreate(r, scope, deeds) ??
      (depth < DEEPEST ? (readEach(r, scope, deeds, depth) ?? readChoice(r, scope, deeds, depth)) : null),
  )
}

function readNotice(r: Reader, scope: Scope, deeds: Deeds): Action | null {
  return r.attempt(() => {
    const isTold = r.sees(() => r.take(EMAIL_VERBS) && r.take(CHANNEL) && r.take(scope.words.channels) !== null)
    if (!(isTold ? r.take(EMAIL_VERBS) : r.take(NOTICE_VERBS))) return null
    const action: Extract<Action, { do: 'notice' }> = { name: nameOf('notice', deeds), do: 'notice', text: '' }
    r.take(TO) || r.take(IN)
    r.take(CHANNEL)
    const channel = r.take(scope.words.channels)
    if (channel !== null) action.channel = channel
    if (channel === null || r.take(AND)) {
      const to = readRecipients(r, scope, deeds)
      if (to.length) action.to = to
      else if (channel === null) return null
    }
    const token = r.attempt(() => {
      r.sign(',', ':')
      r.attempt(() => (r.take(MAIL_PARTS) === 'saying' ? true : null))
      return r.token?.kind === 'quoted' ? r.token : null
    })
    if (!token) return action
    r.at++
    return { ...action, text: token.text }
  })
}

function readUpdate(r: Reader, scope: Scope, deeds: Deeds): Action | null {
  return r.attempt(() => {
    if (!r.take(SET_VERBS)) return null
    const target = r.attempt(() => {
      const path = readPath(r, scope)
      return path?.leadsTo && r.sign(':') ? { target: path.path, table: path.leadsTo } : null
    })
    if (!target) r.past([DETERMINERS], () => (r.take(ofNoun(scope)) && r.sign(':') ? true : null))
    const set = readSet(r, scope, target?.table ?? scope.table, true)
    if (Object.keys(set).length) return { name: nameOf('update', deeds), do: 'update', ...(target ? { target: target.target } : {}), set }
    const path = readPath(r, scope)
    const [link] = path?.path.includes('.') ? [path.path.slice(0, path.path.lastIndexOf('.'))] : []
    if (!path?.field || link === undefined || !r.take(TO)) return null
    const value = readValue(r, scope, path.field)
    return value && { name: nameOf('update', deeds), do: 'update', target: link, set: { [path.field.name]: value.value } }
  })
}

const ofNoun = (scope: Scope) => scope.words.tables

function readCreate(r: Reader, scope: Scope, deeds: Deeds): Action | null {
  return r.attempt(() => {
    if (!r.take(CREATE_VERBS)) return null
    while (r.take(DETERMINERS)) if (r.isDone) return null
    const table = r.take(scope.words.tables)
    if (!table) return null
    r.take(WHERE) || r.sign(':')
    const set = readSet(r, scope, table, false)
    const name = deeds.names.has(table.singular) ? nameOf(table.singular, deeds) : table.singular
    deeds.names.add(name)
    return { name, do: 'create', table: table.name, set }
  })
}

/** “for each booking where it is paid: email its passenger”. */
function readEach(r: Reader, scope: Scope, deeds: Deeds, depth: number): Action | null {
  return r.attempt(() => {
    if (!r.take(FOR_EACH)) return null
    const list = readList(r, scope)
    if (!list) return null
    const as = r.attempt(() => (r.take(AS) ? (r.token?.text ?? null) : null))
    if (as !== null) r.at++
    const name = as ?? list.table.singular
    const where = r.past([','], () => (r.take(WHERE) || r.take(IF) ? readCondition(r, { ...scope, table: list.table }) : null))
    const action = { name: nameOf('each', deeds), do: 'each' as const, of: bringList(list, deeds), as: name, ...(where ? { where } : {}) }
    const inner: Scope = { ...scope, roots: new Map([...scope.roots, [name, { kind: 'record', table: list.table }]]), entry: { name, table: list.table } }
    return { ...action, actions: readActions(r, inner, deeds, depth + 1) }
  })
}

/** “if value is over 500 email the directors, otherwise email its owner”. */
function readChoice(r: Reader, scope: Scope, deeds: Deeds, depth: number): Action | null {
  return r.attempt(() => {
    const branches: { when: NonNullable<Workflow['conditions']>; actions: Action[] }[] = []
    let otherwise: Action[] | undefined
    while (r.take(IF)) {
      const when = readCondition(r, scope)
      if (!when) return null
      branches.push({ when, actions: readActions(r, scope, deeds, depth + 1) })
      if (!r.past([',', ';'], () => r.take(OTHERWISE))) break
      if (r.sees(() => r.past([','], () => r.take(IF)))) {
        r.sign(',')
        continue
      }
      otherwise = readActions(r, scope, deeds, depth + 1)
      break
    }
    return branches.length ? { name: nameOf('choice', deeds), do: 'choose', branches, ...(otherwise ? { otherwise } : {}) } : null
  })
}
