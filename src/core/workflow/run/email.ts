import type { EmailAction } from '../../document/document'
import { withFileLinks } from '../../message/file-links'
import { STOP_WORDS, withWhyFooter } from '../../message/footer'
import { emailText } from '../../message/format'
import { compileMessage, type RenderedMessage, renderMessage } from '../../message/render'
import { oneLine } from '../../message/text'
import { must } from '../../must'
import { domainOf } from '../../recipients/address'
import { type Addressee, resolveRecipients } from '../../recipients/recipients'
import { fieldOf, idFrom, idOf, type RecordId, targetOf } from '../../values/tables'
import { deliveryOf } from '../delivery'
import type { Attachment, Enclosed, Mailbox, PlannedMessage, PlannedRecipient } from '../plan'
import { compileAttachments, placeImages } from './attachments'
import { recipientFacts } from './resolve'
import type { ActionSetting, Performer } from './setting'
import type { RunState } from './state'

/** Compiles an email: its texts are parsed once; who gets it and what it says is worked out in each run. */
export function compileEmail(action: EmailAction, path: string, setting: ActionSetting): Performer {
  const { surroundings, roots } = setting
  const template = action.template === undefined ? undefined : surroundings.templates?.get(action.template)
  const source = emailText(action, template)
  const message = compileMessage(source, surroundings.engines)
  const attach = compileAttachments(action, template, path, setting)
  const isBlank = surroundings.outline === true && message.onlyPrints && !source.body.includes('cid:')
  const delivery = deliveryOf(action)
  const priority = action.priority ?? template?.priority ?? 'normal'
  return (run) => {
    const facts = recipientFacts(run, roots)
    const lists = { to: action.to, cc: action.cc, bcc: action.bcc }
    const paths = { to: `${path}/to`, cc: `${path}/cc`, bcc: `${path}/bcc` }
    let who = resolveRecipients(lists, facts, paths)
    run.notes.push(...who.notes)
    if (who.to.length === 0 && action.ifNobody?.length) {
      who = resolveRecipients({ ...lists, to: action.ifNobody }, facts, { ...paths, to: `${path}/ifNobody` })
      run.notes.push(...who.notes.filter((n) => n.path.startsWith(`${path}/ifNobody`)))
    }
    if (run.lookups.lacking()) return
    if (who.to.length === 0) {
      run.notes.push({ code: 'nobody', path, message: 'Nothing was sent: there is nobody to send to.' })
      return
    }
    const attached = attach(run)
    if (run.lookups.lacking()) return
    const about = aboutOf(action, run)
    const { from, replyTo } = senderOf(action, run)
    const reply = replyOf(action, run, setting) ?? replyTo
    const write = (to: Addressee[], cc: Addressee[], bcc: Addressee[], recipient: Addressee | null): PlannedMessage => {
      const { subject, html, text, ...carried } = isBlank
        ? BLANK
        : complete(renderMessage(message, run.scope(recipient), run.budget), attached, path, run, to.length + cc.length + bcc.length === 1)
      const who = { to: to.map(mailbox), cc: cc.map(mailbox), bcc: bcc.map(mailbox) }
      return { action: action.name, path, about, from, replyTo: reply, priority, to: who.to, cc: who.cc, bcc: who.bcc, subject, html, text, ...carried }
    }
    if (delivery === 'each') run.messages.push(...who.to.map((one, i) => write([one], i === 0 ? who.cc : [], i === 0 ? who.bcc : [], one)))
    else run.messages.push(write(who.to, who.cc, who.bcc, who.to.length === 1 ? must(who.to[0]) : null))
  }
}

const BLANK = { subject: '', html: '', text: '', attachments: [] }

/** A rendered message with its images in place, its footer and its attachments. */
function complete(
  rendered: RenderedMessage,
  enclosed: readonly Enclosed[],
  path: string,
  run: RunState,
  isForOne: boolean,
): RenderedMessage & { attachments: readonly Attachment[]; linked?: readonly number[] } {
  const { html, images } = placeImages(rendered.html, path, run)
  const { whyFooter, baseUrl } = run.surroundings
  const attached = enclosed.filter((e) => e.linked === undefined)
  const links = enclosed.flatMap(({ file, name, linked }) => (linked === undefined ? [] : [{ file, name, size: linked }]))
  const message = withFileLinks({ subject: rendered.subject, html, text: rendered.text }, links, baseUrl)
  const { subject, html: whole, text } = run.mayStop && isForOne ? withWhyFooter(message, baseUrl, STOP_WORDS) : whyFooter ? withWhyFooter(message, baseUrl) : message
  const carried = { attachments: images.length ? [...images, ...attached] : attached, ...(links.length ? { linked: links.map((l) => l.file) } : {}) }
  return { subject, html: whole, text, ...carried }
}

function mailbox({ address, name, path }: Addressee): PlannedRecipient {
  return { address, name: name === null ? null : oneLine(name), path }
}

/** The record that an email is about: a named entry, or the record; null where there is neither. */
function aboutOf(action: EmailAction, run: RunState): { table: string; id: RecordId } | null {
  const held = action.about ? run.root(action.about) : undefined
  if (held?.kind === 'record' && held.image) return { table: held.table.name, id: idOf(held.image) }
  const { record } = run.occasion
  return record === null ? null : { table: run.table.name, id: record }
}

/** Who an email is from: the organisation's sender, a sender identity, or the owner: themselves where mail may be sent for their domain, else by name over the sender's address. */
function senderOf(action: EmailAction, run: RunState): { from: Mailbox; replyTo: Mailbox | null } {
  const { sender, senders, sendingDomains } = run.surroundings
  if (typeof action.from === 'object') return { from: senders?.get(action.from.sender) ?? sender, replyTo: null }
  const field = action.from === 'owner' && run.table.ownerField ? fieldOf(run.table, run.table.ownerField) : undefined
  const id = field && targetOf(field) === 'person' ? idFrom(run.record()[field.name]) : null
  const person = id ? run.lookups.record('person', id) : null
  if (!person?.email) return { from: sender, replyTo: null }
  const name = oneLine(String(person.name ?? ''))
  const own = { address: String(person.email), name }
  if (sendingDomains?.has(domainOf(own.address).toLowerCase())) return { from: own, replyTo: null }
  return { from: { address: sender.address, name: name || sender.name }, replyTo: own }
}

/** Where replies go, when the action says so. */
function replyOf(action: EmailAction, run: RunState, setting: ActionSetting): Mailbox | null {
  if (!action.replyTo) return null
  const { to } = resolveRecipients({ to: [action.replyTo] }, recipientFacts(run, setting.roots), { to: '/replyTo', cc: '', bcc: '' })
  return to[0] ? mailbox(to[0]) : null
}
