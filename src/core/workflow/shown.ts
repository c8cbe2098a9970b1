import type { Mailbox, Plan, PlannedMessage, PlannedRecipient } from './plan'

const addresses = (list: readonly Mailbox[]) => list.map((m) => m.address)

const named = (part: 'to' | 'cc' | 'bcc', list: readonly PlannedRecipient[]) => list.map(({ address, name, path }) => ({ part, address, name, path: path ?? null }))

/** A planned message as the API shows it. */
export function shownMessage(message: PlannedMessage) {
  const { action, path, subject, html, text, priority, from, replyTo, to, cc, bcc, attachments } = message
  return {
    action,
    path,
    from,
    to: addresses(to),
    cc: addresses(cc),
    bcc: addresses(bcc),
    recipients: [...named('to', to), ...named('cc', cc), ...named('bcc', bcc)],
    attachments: attachments.map(({ name, type, cid }) => ({ name, type, inline: cid !== undefined })),
    replyTo: replyTo?.address ?? null,
    subject,
    html,
    text,
    headers: { 'Auto-Submitted': 'auto-generated', ...(priority === 'normal' ? {} : { Importance: priority, 'X-Priority': priority === 'high' ? '1 (Highest)' : '5 (Lowest)' }) },
  }
}

/** A plan as the API shows it. */
export function shownPlan(plan: Plan) {
  const { fires, decision, why, clauses, messages, updates, creates, notices, tasks, notes, held } = plan
  return {
    fires,
    decision,
    why,
    clauses,
    messages: messages.map(shownMessage),
    updates: updates.map(({ path, table, id, set, was }) => ({ path, table, id, set, was })),
    creates: creates.map(({ path, table, set }) => ({ path, table, set })),
    notices: notices.map(({ path, channel, to, title, text }) => ({ path, channel, to, title, text })),
    tasks: tasks.map(({ path, subject, owner, due, note }) => ({ path, subject, owner, due, note })),
    notes,
    held,
  }
}

export type ShownPlan = ReturnType<typeof shownPlan>
