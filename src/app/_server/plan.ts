import type { Mailbox, Plan, PlannedMessage } from '@/core/workflow/plan'

const addresses = (list: readonly Mailbox[]) => list.map((m) => m.address)

function shownMessage(message: PlannedMessage) {
  const { action, path, subject, html, text, priority, from, replyTo, to, cc, bcc } = message
  return {
    action,
    path,
    from,
    to: addresses(to),
    cc: addresses(cc),
    bcc: addresses(bcc),
    replyTo: replyTo?.address ?? null,
    subject,
    html,
    text,
    headers: { 'Auto-Submitted': 'auto-generated', ...(priority === 'normal' ? {} : { Importance: priority, 'X-Priority': priority === 'high' ? '1 (Highest)' : '5 (Lowest)' }) },
  }
}

/** A plan as the API shows it. */
export function shownPlan(plan: Plan) {
  const { fires, why, clauses, messages, updates, creates, notices, tasks, notes } = plan
  return {
    fires,
    why,
    clauses,
    messages: messages.map(shownMessage),
    updates: updates.map(({ table, id, set }) => ({ table, id, set })),
    creates: creates.map(({ table, set }) => ({ table, set })),
    notices: notices.map(({ channel, to, title, text }) => ({ channel, to, title, text })),
    tasks: tasks.map(({ subject, owner, due, note }) => ({ subject, owner, due, note })),
    notes,
  }
}

export type ShownPlan = ReturnType<typeof shownPlan>
