import type { Change } from '../changes/change'
import type { ClauseResult, CompiledCondition, Facts, Setting } from '../conditions/compile'
import { compileCondition } from '../conditions/compile'
import { parseTemplate } from '../message/liquid'
import { type CompiledMessage, compileMessage, type Engines, type RenderedMessage, renderMessage } from '../message/render'
import { oneLine } from '../message/text'
import { changeValue, type Filling, RecordValue } from '../message/values'
import { LoadedLookups, type Lookups, type Need } from '../paths/lookups'
import { type Addressee, type Note, type RecipientFacts, resolveRecipients } from '../recipients/recipients'
import type { Image, TableDef } from '../values/tables'
import type { EmailAction, RecordCue, Workflow } from './document'

/** What a workflow is compiled and evaluated in: tables, people, the organisation, and how it writes. */
export interface Surroundings extends Setting {
  readonly engines: Engines
  /** Address of the web application, without a slash at the end. */
  readonly baseUrl: string
  readonly sender: { readonly name: string; readonly address: string }
}

interface CompiledEmail {
  readonly action: EmailAction
  readonly path: string
  readonly message: CompiledMessage
}

/** A workflow ready to be tried against changes. */
export interface CompiledWorkflow {
  readonly workflow: Workflow
  readonly table: TableDef
  readonly cue: RecordCue
  readonly condition: CompiledCondition | null
  readonly emails: readonly CompiledEmail[]
  readonly surroundings: Surroundings
}

export interface Mailbox {
  readonly address: string
  readonly name: string | null
}

/** One email as it will be queued. */
export interface PlannedMessage extends RenderedMessage {
  readonly action: string
  readonly path: string
  readonly from: Mailbox
  readonly replyTo: Mailbox | null
  readonly to: readonly Mailbox[]
  readonly cc: readonly Mailbox[]
  readonly bcc: readonly Mailbox[]
  readonly priority: 'low' | 'normal' | 'high'
}

/** What comes of a change in a workflow: whether it fires and why, and all it would do. */
export interface Plan {
  readonly fires: boolean
  /** One sentence. */
  readonly why: string
  readonly clauses: readonly ClauseResult[]
  readonly messages: readonly PlannedMessage[]
  readonly notes: readonly Note[]
}

/**
 * Compiles a workflow whose review found no errors.
 * @throws Error when a part does not fit
 */
export function compileWorkflow(workflow: Workflow, surroundings: Surroundings): CompiledWorkflow {
  const table = surroundings.schema.get(workflow.table)
  if (!table) throw new Error(`There is no table ${workflow.table}.`)
  if (workflow.cue.kind !== 'record') throw new Error(`A ${workflow.cue.kind} cue cannot be compiled for changes.`)
  const condition = workflow.conditions ? compileCondition(workflow.conditions, table, surroundings, '/conditions') : null
  const emails = workflow.actions.flatMap((action, i) => {
    if (action.muted || action.do !== 'email') return []
    const source = { subject: action.subject ?? '', body: action.body ?? '', format: action.format ?? 'plain' } as const
    return [{ action, path: `/actions/${i}`, message: compileMessage(source, surroundings.engines) }]
  })
  return { workflow, table, cue: workflow.cue, condition, emails, surroundings }
}

const nothing = (why: string, clauses: readonly ClauseResult[] = []): Plan => ({ fires: false, why, clauses, messages: [], notes: [] })

/**
 * Decides what a workflow does about a change; pure, the same for live, dry run, rehearsal and why.
 * While `lookups.lacking()` afterwards, the plan is to be thrown away, the lack loaded, and this called again: see `evaluateOrNeed`.
 */
export function evaluate(compiled: CompiledWorkflow, change: Change, lookups: Lookups, explain: boolean): Plan {
  const { cue, table } = compiled
  if (change.table !== table.name) return nothing(`The change is of a ${change.table}, not a ${table.singular}.`)
  if (!cue.on.includes(change.kind)) return nothing(`The ${table.singular} was ${change.kind}; the cue waits for ${cue.on.join(' or ')}.`)
  if (change.kind === 'changed' && cue.fields?.length && !cue.fields.some((f) => change.changed.includes(f))) return nothing(`None of ${cue.fields.join(', ')} changed.`)
  const facts = factsOf(compiled, change, lookups)
  const stranger = whoseProblem(compiled, facts)
  if (stranger) return nothing(stranger)
  const decided = firing(compiled, facts)
  if (!explain && !decided.fires) return nothing(decided.why)
  const clauses = compiled.condition?.explain(facts) ?? []
  if (!decided.fires || lookups.lacking()) return nothing(decided.why, clauses)
  return { ...decided, clauses, ...act(compiled, change, lookups) }
}

/** Evaluates over loaded data; answers the plan, or what has to be loaded first. */
export function evaluateOrNeed(compiled: CompiledWorkflow, change: Change, loaded: ReadonlyMap<string, unknown>, explain: boolean): { plan: Plan } | { needs: readonly Need[] } {
  const lookups = new LoadedLookups(loaded)
  const plan = evaluate(compiled, change, lookups, explain)
  return lookups.lacking() ? { needs: lookups.needs() } : { plan }
}

function factsOf(compiled: CompiledWorkflow, change: Change, lookups: Lookups): Facts {
  const { kind, before, after, at, by } = change
  return { kind, before, after, at, by, lookups, organisation: compiled.surroundings.organisation }
}

/** Why the owner is not one whose records count; null when they count. */
function whoseProblem(compiled: CompiledWorkflow, facts: Facts): string | null {
  const { whose } = compiled.cue
  if (!whose) return null
  const field = compiled.table.ownerField
  const id = field ? (facts.after ?? facts.before)?.[field] : null
  const owner = id === null || id === undefined ? null : facts.lookups.record('person', Number(id))
  if ('team' in whose) return owner?.team === whose.team ? null : `The owner is not of the team ${whose.team}.`
  return String(owner?.email ?? '').toLowerCase() === whose.person.toLowerCase() ? null : `The owner is not ${whose.person}.`
}

function firing(compiled: CompiledWorkflow, facts: Facts): { fires: boolean; why: string } {
  const { condition, table, workflow } = compiled
  const what = `The ${table.singular} was ${facts.kind}`
  if (!condition) return { fires: true, why: `${what}, and there are no conditions.` }
  if (!condition.test(facts)) return { fires: false, why: `${what}, but the conditions do not hold.` }
  if (facts.kind !== 'changed' || workflow.firing === 'every') return { fires: true, why: `${what}, and the conditions hold.` }
  const heldBefore = condition.test({ ...facts, after: facts.before })
  return heldBefore
    ? { fires: false, why: 'The conditions hold, but they held already before this change.' }
    : { fires: true, why: `${what}, and the conditions hold as they did not before.` }
}

function act(compiled: CompiledWorkflow, change: Change, lookups: Lookups): Pick<Plan, 'messages' | 'notes'> {
  const notes: Note[] = []
  const messages = compiled.emails.flatMap((email) => planEmail(email, compiled, change, lookups, notes))
  return { messages, notes }
}

/** The names that placeholders start at, for one recipient where mails are one each. */
function scopeOf(compiled: CompiledWorkflow, change: Change, lookups: Lookups, recipient: Addressee | null): Record<string, unknown> {
  const { surroundings, table } = compiled
  const filling: Filling = { schema: surroundings.schema, organisation: surroundings.organisation, lookups }
  const record = new RecordValue(table, imageOf(change), filling)
  return {
    record,
    [table.singular]: record,
    before: change.before ? new RecordValue(table, change.before, filling) : null,
    change: changeValue(change, table, filling),
    link: `${surroundings.baseUrl}/records/${table.name}/${change.record}`,
    recipient: recipient ? recipientValue(recipient, filling) : null,
  }
}

function recipientValue(recipient: Addressee, filling: Filling): unknown {
  const own = { email: recipient.address, name: recipient.name ?? recipient.address }
  return recipient.image && recipient.table ? new RecordValue(recipient.table, recipient.image, filling, own) : own
}

function imageOf(change: Change): Image {
  return change.after ?? change.before ?? {}
}

function planEmail(email: CompiledEmail, compiled: CompiledWorkflow, change: Change, lookups: Lookups, notes: Note[]): PlannedMessage[] {
  const { action, path } = email
  const facts = recipientFacts(compiled, change, lookups)
  const lists = { to: action.to, cc: action.cc, bcc: action.bcc }
  let who = resolveRecipients(lists, facts, { to: `${path}/to`, cc: `${path}/cc`, bcc: `${path}/bcc` })
  notes.push(...who.notes)
  if (who.to.length === 0 && action.ifNobody?.length) {
    const fallback = { ...lists, to: action.ifNobody }
    who = resolveRecipients(fallback, facts, { to: `${path}/ifNobody`, cc: `${path}/cc`, bcc: `${path}/bcc` })
    notes.push(...who.notes.filter((n) => n.path.startsWith(`${path}/ifNobody`)))
  }
  if (lookups.lacking()) return []
  if (who.to.length === 0) {
    notes.push({ code: 'nobody', path, message: `Nothing was sent: there is nobody to send to.` })
    return []
  }
  const { from, replyTo } = senderOf(action, compiled, change, lookups)
  const base = { action: action.name, path, from, replyTo, priority: action.priority ?? 'normal' } as const
  const write = (to: Addressee[], cc: Addressee[], bcc: Addressee[], recipient: Addressee | null): PlannedMessage => ({
    ...base,
    to: to.map(mailbox),
    cc: cc.map(mailbox),
    bcc: bcc.map(mailbox),
    ...renderMessage(email.message, scopeOf(compiled, change, lookups, recipient)),
  })
  if (action.delivery !== 'each') return [write(who.to, who.cc, who.bcc, who.to.length === 1 ? (who.to[0] as Addressee) : null)]
  return who.to.map((one, i) => write([one], i === 0 ? who.cc : [], i === 0 ? who.bcc : [], one))
}

function mailbox(addressee: Addressee): Mailbox {
  return { address: addressee.address, name: addressee.name === null ? null : oneLine(addressee.name) }
}

function recipientFacts(compiled: CompiledWorkflow, change: Change, lookups: Lookups): RecipientFacts {
  const { surroundings, table } = compiled
  return {
    schema: surroundings.schema,
    table,
    record: imageOf(change),
    before: change.before,
    by: change.by,
    lookups,
    renderText: (source) => {
      const parsed = parseTemplate(surroundings.engines.plain, source)
      if ('problem' in parsed) throw new Error(parsed.problem.message)
      return String(surroundings.engines.plain.renderSync(parsed.templates, scopeOf(compiled, change, lookups, null)))
    },
  }
}

/** Who an email is from: the organisation's sender, or the owner's name over the sender's address with the owner in Reply-To. */
function senderOf(action: EmailAction, compiled: CompiledWorkflow, change: Change, lookups: Lookups): { from: Mailbox; replyTo: Mailbox | null } {
  const { sender } = compiled.surroundings
  const ownerField = compiled.table.ownerField
  const owner = action.from === 'owner' && ownerField ? imageOf(change)[ownerField] : null
  const person = owner ? lookups.record('person', Number(owner)) : null
  if (!person?.email) return { from: sender, replyTo: null }
  const name = oneLine(String(person.name ?? ''))
  return { from: { address: sender.address, name: name || sender.name }, replyTo: { address: String(person.email), name } }
}
