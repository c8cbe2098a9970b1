import { must } from '@/core/must'
import type { ClaimedMessage } from '@/store/mail/claim'
import type { Outcome } from '@/store/mail/finish'
import { givesUp, isHardBounce, retryDelay } from './policy'
import { keptReply } from './reply'
import type { SendResult } from './send'

/** Decides what becomes of a message after an attempt: its next state, when it is tried again, and each recipient's state. */
export function outcomeOf(message: ClaimedMessage, worker: number, result: SendResult, startedAt: Date, now: Date, chance: number): Outcome {
  const over = givesUp(new Date(message.tried_since ?? message.created_at), now)
  const recipients = result.recipients.map((r) => ({
    position: r.position,
    state: r.result === 'sent' ? ('sent' as const) : r.result === 'refused' || over ? ('failed' as const) : ('open' as const),
    reply: keptReply(r.reply),
  }))
  const states = message.recipients.map((r) => recipients.find((done) => done.position === r.position)?.state ?? r.state)
  const isOpen = states.includes('open')
  const state = isOpen ? 'queued' : states.includes('failed') ? 'failed' : 'sent'
  const sent = recipients.some((r) => r.state === 'sent')
  return {
    message: message.id,
    attempt: message.attempt,
    worker,
    at: now,
    milliseconds: now.getTime() - startedAt.getTime(),
    outcome: !result.reached ? 'lost' : state === 'sent' ? 'sent' : sent ? 'partly' : isOpen ? 'deferred' : 'refused',
    reply: keptReply(replyOf(result)),
    state,
    nextAt: isOpen ? new Date(now.getTime() + retryDelay(message.attempt, chance)) : null,
    recipients,
  }
}

/** The reply worth showing: the first that is not an acceptance, else the acceptance. */
function replyOf(result: SendResult): string {
  return result.recipients.find((r) => r.result !== 'sent')?.reply ?? result.reply
}

/** The addresses of an attempt that bounced for good. */
export function hardBounces(message: ClaimedMessage, result: SendResult): { address: string; reason: string }[] {
  return result.recipients
    .filter((r) => r.result === 'refused' && isHardBounce(r.reply))
    .map((r) => ({ address: must(message.recipients.find((m) => m.position === r.position)?.address), reason: keptReply(r.reply) }))
}
