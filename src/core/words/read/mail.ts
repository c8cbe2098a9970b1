import type { Attach, EmailAction, Recipient } from '../../document/document'
import { checkPath } from '../../paths/path'
import type { RootDef } from '../../paths/roots'
import { targetOf } from '../../values/tables'
import { listedTable } from '../../workflow/scope'
import { type Deeds, nameOf } from './deeds'
import { readPath, type Scope } from './paths'
import type { Reader } from './reader'
import { readRecipient, readRecipients } from './recipients'
import { AND, DELIVERIES, DETERMINERS, EMAIL_VERBS, EVERY_OTHER, MAIL_PARTS, OWNER_SENDS, PRIORITIES, SEND, SET_VERBS, TO } from './vocabulary'

export function readEmail(r: Reader, scope: Scope, deeds: Deeds): EmailAction | null {
  return r.attempt(() => {
    const sent = sentTemplate(r, scope)
    const isSend = sent !== null || r.sees(() => r.take(SEND) && readRecipients(r, scope, { bringIn: [] }).length > 0 && r.take(MAIL_PARTS))
    if (sent === null && !r.take(isSend ? SEND : EMAIL_VERBS)) return null
    r.take(TO)
    const to = readRecipients(r, scope, deeds)
    if (to.length === 0 && !r.take(EVERY_OTHER)) r.skip('Nobody of that name is known here: a person, a group, a team, an address, or a field that leads to one.')
    return mailTo(r, scope, deeds, to, sent)
  })
}

/** A mail whose recipients were read, with all that is said of it behind them. */
export function mailTo(r: Reader, scope: Scope, deeds: Deeds, to: readonly Recipient[], template: string | null = null): EmailAction {
  const name = nameOf('email', deeds)
  const email: Written = { name, do: 'email', to: [...to], ...(template === null ? {} : { template }) }
  const told = toldOf(to, scope, deeds)
  const says = readPaths(r, told)
  readMailParts(r, told, deeds, email, says)
  if (says.length) deeds.says.set(name, says)
  return email
}

/** “send the template Acknowledgement to …”: the template. */
function sentTemplate(r: Reader, { words }: Scope): string | null {
  return r.attempt(() => {
    if (!r.take(SEND)) return null
    r.take(MAIL_PARTS)
    r.take(DETERMINERS)
    const template = r.take(words.templates)
    return template !== null && r.sees(() => r.take(TO)) ? template : null
  })
}

/** Where a mail’s facts are read: of a mail that goes over a list, also those of the entry that each is for. */
function toldOf(to: readonly Recipient[], scope: Scope, { bringIn }: Deeds): Scope {
  const list = to.flatMap((entry) => ('list' in entry ? [entry.list] : []))[0]
  if (list === undefined) return scope
  const from = scope.roots.has(list) ? list : (bringIn.find((b) => b.name === list)?.list ?? list)
  const table = listedTable(from, scope.roots, scope.installation.schema)
  return table ? { ...scope, roots: new Map([...scope.roots, ['recipient', { kind: 'record', table } satisfies RootDef]]), entry: { name: 'recipient', table } } : scope
}

type Written = { -readonly [K in keyof EmailAction]: EmailAction[K] }

/** Everything that is said of an email behind whom it goes to: copies, template, what it carries, what it says. */
function readMailParts(r: Reader, scope: Scope, deeds: Deeds, email: Written, says: string[]): void {
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
  const checked = checkPath(scope.installation.schema, scope.table, of)
  const holder = 'problem' in checked ? undefined : scope.installation.schema.get(targetOf(checked.field) ?? '')
  const path = holder && readPath(r, { ...scope, table: holder, roots: new Map() })
  return path ? `${of}.${path.path}` : null
}
