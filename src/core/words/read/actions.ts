import type { Action, Attach, EmailAction, Limits, Recipient, Workflow } from '../../document/document'
import { typedLimit } from '../../limits/typed'
import type { RootDef } from '../../paths/roots'
import { nounOf } from '../../values/naming'
import { fieldOf, type TableDef, targetOf } from '../../values/tables'
import { readCondition } from './clauses'
import { readList, readPath, type Scope } from './paths'
import type { Reader } from './reader'
import { bringList, type Gathered, readRecipient, readRecipients } from './recipients'
import { readSet, readValue } from './values'
import {
  AND,
  AS,
  CHANNEL,
  CREATE_VERBS,
  DELIVERIES,
  DETERMINERS,
  EMAIL_VERBS,
  EVERY_OTHER,
  FOR,
  FOR_EACH,
  IF,
  IN,
  LIMIT_WORDS,
  MAIL_PARTS,
  NOTICE_VERBS,
  OTHERWISE,
  OWNER_SENDS,
  PRIORITIES,
  SET_VERBS,
  TASK_VERBS,
  THEN,
  TO,
  WHERE,
} from './vocabulary'

/** What actions are read into: what has to be brought in, limits, and which facts mail was asked to say. */
export interface Deeds extends Gathered {
  limits: Limits
  /** Paths that an email was asked to say, by the action’s name. */
  readonly says: Map<string, string[]>
  /** Names that actions have. */
  readonly names: Set<string>
}

export const noDeeds = (): Deeds => ({ bringIn: [], limits: {}, says: new Map(), names: new Set() })

/** Deepest that repetitions and branches are read. */
const DEEPEST = 3

/** A name that no other action has: the word with the next free number. */
function nameOf(word: string, { names }: Deeds): string {
  let n = 1
  while (names.has(`${word}_${n}`)) n++
  names.add(`${word}_${n}`)
  return `${word}_${n}`
}

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
export function withMade(scope: Scope, action: Action): Scope {
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

function readEmail(r: Reader, scope: Scope, deeds: Deeds): EmailAction | null {
  return r.attempt(() => {
    if (!r.take(EMAIL_VERBS)) return null
    r.take(TO)
    const to = readRecipients(r, scope, deeds)
    if (to.length === 0 && !r.take(EVERY_OTHER)) r.skip('Nobody of that name is known here: a person, a group, a team, an address, or a field that leads to one.')
    const name = nameOf('email', deeds)
    const email = mailOf(name, to)
    const told = toldOf(to, scope, deeds)
    const says = readPaths(r, told)
    readMailParts(r, told, deeds, email, says)
    if (says.length) deeds.says.set(name, says)
    return email
  })
}

/** Where a mail’s facts are read: of a mail that goes over a list, also those of the entry that each is for. */
function toldOf(to: readonly Recipient[], scope: Scope, { bringIn }: Deeds): Scope {
  const list = to.flatMap((entry) => ('list' in entry ? [entry.list] : []))[0]
  if (list === undefined) return scope
  const root = scope.roots.get(list)
  const from = bringIn.find((b) => b.name === list)?.list ?? list
  const table = root?.kind === 'list' ? root.table : scope.installation.schema.get(from.split('.')[0] ?? '')
  return table ? { ...scope, roots: new Map([...scope.roots, ['recipient', { kind: 'record', table } satisfies RootDef]]), entry: { name: 'recipient', table } } : scope
}

type Written = { -readonly [K in keyof EmailAction]: EmailAction[K] }

const mailOf = (name: string, to: Recipient[]): Written => ({ name, do: 'email', to })

/** Everything that is said of an email behind whom it goes to: copies, template, what it carries, what it says. */
export function readMailParts(r: Reader, scope: Scope, deeds: Deeds, email: Written, says: string[]): void {
  for (;;) {
    const read = r.attempt(() => {
      r.sign(',', '·')
      r.take(AND)
      const way = r.take(DELIVERIES)
      if (way) {
        email.delivery = way
        return true
      }
      const priority = r.take(PRIORITIES)
      if (priority) {
        email.priority = priority
        return true
      }
      const part = r.take(MAIL_PARTS)
      return part !== null && readMailPart(r, scope, deeds, email, says, part) ? true : null
    })
    if (!read) return
  }
}

function readMailPart(r: Reader, scope: Scope, deeds: Deeds, email: Written, says: string[], part: string): boolean {
  switch (part) {
    case 'cc':
    case 'bcc':
    case 'ifNobody': {
      const entries = readRecipients(r, scope, deeds)
      if (entries.length) email[part] = entries
      return entries.length > 0
    }
    case 'replyTo': {
      const entry = readRecipient(r, scope, deeds)
      if (entry) email.replyTo = entry
      return entry !== null
    }
    case 'from': {
      const sender = r.take(scope.words.senders)
      if (sender !== null) email.from = { sender }
      else if (r.take(OWNER_SENDS) || isOwner(r, scope)) email.from = 'owner'
      return email.from !== undefined
    }
    case 'template': {
      const template = r.take(scope.words.templates)
      if (template !== null) email.template = template
      return template !== null
    }
    case 'attach':
    case 'link':
      return readAttached(r, scope, email, part === 'link') || (part === 'attach' && readMore(r, scope, says))
    case 'saying':
    case 'subject': {
      const token = r.token
      if (token?.kind !== 'quoted') return part === 'saying' && readMore(r, scope, says)
      r.at++
      email[part === 'subject' ? 'subject' : 'body'] = token.text
      return true
    }
    default:
      return false
  }
}

function isOwner(r: Reader, scope: Scope): boolean {
  return r.attempt(() => (readPath(r, scope)?.path === scope.table.ownerField && scope.table.ownerField ? true : null)) !== null
}

function readMore(r: Reader, scope: Scope, says: string[]): boolean {
  const more = readPaths(r, scope)
  says.push(...more)
  return more.length > 0
}

/** Files and file fields: “Conditions of carriage.pdf”, “its letter”, “a link to its letter”. */
function readAttached(r: Reader, scope: Scope, email: Written, isLink: boolean): boolean {
  const attached: Attach[] = []
  let as = isLink
  for (;;) {
    if (r.attempt(() => (r.take(MAIL_PARTS) === 'link' ? true : null))) as = true
    const one =
      r.attempt<Attach>(() => {
        while (r.take(DETERMINERS)) if (r.isDone) return null
        const file = r.take(scope.words.files)
        return file === null ? null : { file, ...(as ? { as: 'link' } : {}) }
      }) ??
      r.attempt<Attach>(() => {
        const path = readPath(r, scope)
        return path?.field?.type === 'file' ? { field: path.path, ...(as ? { as: 'link' } : {}) } : null
      })
    if (!one) break
    attached.push(one)
    as = false
    if (!r.further(AND)) break
  }
  if (attached.length === 0) return false
  email.attach = [...(email.attach ?? []), ...attached]
  return true
}

/** Fields that are to be said: “its name and folder”, “the passenger’s name, phone and speaks”. What follows a link’s field without saying whose is of the same record, where that has it. */
function readPaths(r: Reader, scope: Scope): string[] {
  const paths: string[] = []
  let of = ''
  const next = () =>
    r.attempt(() => {
      const holder = of && r.attempt(() => (r.sees(() => r.take(DETERMINERS)) ? null : inSame(r, scope, of)))
      return holder || (readPath(r, scope)?.path ?? null)
    })
  for (;;) {
    const path = next()
    if (!path || (r.token?.kind === 'sign' && r.token.key === ':')) return paths
    paths.push(path)
    of = path.includes('.') ? path.slice(0, path.lastIndexOf('.')) : ''
    const at = r.at
    if (!r.further(AND)) return paths
    if (!r.sees(() => !r.take(SET_VERBS) && !r.take(EMAIL_VERBS) && next())) {
      r.at = at
      return paths
    }
  }
}

function inSame(r: Reader, scope: Scope, of: string): string | null {
  const holder = of.split('.').reduce<TableDef | undefined>((table, name) => {
    const field = table && fieldOf(table, name)
    return field ? scope.installation.schema.get(targetOf(field) ?? '') : undefined
  }, scope.table)
  const path = holder && readPath(r, { ...scope, table: holder, roots: new Map() })
  return path ? `${of}.${path.path}` : null
}

function readNotice(r: Reader, scope: Scope, deeds: Deeds): Action | null {
  return r.attempt(() => {
    if (!r.take(NOTICE_VERBS)) return null
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

function readTask(r: Reader, scope: Scope, deeds: Deeds): Action | null {
  return r.attempt(() => {
    if (!r.take(TASK_VERBS)) return null
    const action: Extract<Action, { do: 'task' }> = { name: nameOf('task', deeds), do: 'task', subject: '' }
    while (r.attempt(() => readTaskPart(r, scope, action) || null)) if (r.isDone) break
    return action
  })
}

/** Whose a task is, when it is due, or what it is called; false where none of these stands here. */
function readTaskPart(r: Reader, scope: Scope, task: Extract<Action, { do: 'task' }>): boolean {
  r.sign(',')
  const token = r.token
  if (token?.kind === 'quoted') {
    r.at++
    task.subject = token.text
    return true
  }
  if (task.owner === undefined && r.take(FOR)) {
    if (r.take(EVERY_OTHER)) return true
    const owner = ownerPath(r, scope)
    if (owner === null) return false
    task.owner = owner
    return true
  }
  const due = task.due === undefined ? readDue(r, scope) : null
  if (due === null) return false
  task.due = due.value
  return true
}

function ownerPath(r: Reader, scope: Scope): string | null {
  return r.attempt(() => {
    const path = readPath(r, scope)
    return path && (path.field?.type === 'person' || path.leadsTo?.name === 'person') ? path.path : null
  })
}

const readDue = (r: Reader, scope: Scope) => {
  const plain = r.attempt(() => readValue(r, scope, { type: 'date' }))
  if (plain) return plain
  return r.attempt(() => (r.take(IN) ? readValue(r, scope, { type: 'date' }) : null))
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

/** A limit in words, up to the comma or the end: “no more than one per claim in an hour”. */
export function readLimit(r: Reader, scope: Scope, deeds: Deeds): boolean {
  return (
    r.attempt(() => {
      if (!r.sees(() => r.take(LIMIT_WORDS)) && r.token?.key !== 'at') return null
      const begin = r.token
      if (!begin) return null
      for (let end = r.tokens.length; end > r.at; end--) {
        const after = r.tokens[end]
        if (after && !(after.kind === 'sign' && [',', ';', '.'].includes(after.key)) && after.key !== 'and') continue
        const said = r.text.slice(begin.from, r.tokens[end - 1]?.to).replace(/^limit:? /i, '')
        const limit = said.length < 200 ? typedLimit(said, nounOf(scope.table)) : null
        if (!limit) continue
        deeds.limits = { ...deeds.limits, ...limit }
        r.at = end
        return true
      }
      return null
    }) ?? false
  )
}
