import type { Plan } from '../workflow/plan'

/** The digests that a plan's mail goes into: one for each recipient and moment. Addresses are in small letters. */
export function gatheredBy({ messages }: Pick<Plan, 'messages'>): { key: string; address: string; until: Date }[] {
  return messages.flatMap(({ held, to, cc, bcc }) => {
    const until = held?.reason === 'digest' ? held.until : null
    return until ? [...to, ...cc, ...bcc].map(({ address }) => ({ key: `${until.getTime()} ${address.toLowerCase()}`, address: address.toLowerCase(), until })) : []
  })
}

/** Counts the mail and notices that plans send, and who gets how much mail: what a cap holds is none, what is gathered is one for each recipient and digest. */
export class MailCount {
  messages = 0
  notices = 0
  private readonly byAddress = new Map<string, number>()

  /** Adds the plans of one workflow; how many mails and notices they send. */
  add(plans: readonly Plan[]): { readonly messages: number; readonly notices: number } {
    const before = { messages: this.messages, notices: this.notices }
    const digests = new Set<string>()
    for (const plan of plans) {
      this.notices += plan.notices.length
      for (const { held, to, cc, bcc } of plan.messages) if (!held || held.reason === 'quiet') this.got([...to, ...cc, ...bcc].map((r) => r.address.toLowerCase()))
      for (const { key, address } of gatheredBy(plan)) {
        if (!digests.has(key)) this.got([address])
        digests.add(key)
      }
    }
    return { messages: this.messages - before.messages, notices: this.notices - before.notices }
  }

  private got(addresses: readonly string[]): void {
    this.messages++
    for (const address of addresses) this.byAddress.set(address, (this.byAddress.get(address) ?? 0) + 1)
  }

  /** Addresses, those with most mail first. */
  recipients(): { readonly address: string; readonly messages: number }[] {
    return [...this.byAddress].map(([address, messages]) => ({ address, messages })).sort((a, b) => b.messages - a.messages || a.address.localeCompare(b.address))
  }
}
