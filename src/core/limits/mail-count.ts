import type { Plan } from '../workflow/plan'

/** The digests that a plan's mail goes into: one for each recipient and moment. Addresses are in small letters. */
export function gatheredBy({ messages }: Pick<Plan, 'messages'>): { key: string; address: string; until: Date }[] {
  return messages.flatMap(({ held, to, cc, bcc }) => {
    const until = held?.reason === 'digest' ? held.until : null
    return until ? [...to, ...cc, ...bcc].map(({ address }) => ({ key: `${until.getTime()} ${address.toLowerCase()}`, address: address.toLowerCase(), until })) : []
  })
}

/** Counts the mail that plans send, and who gets how much of it: what a cap holds is none, what is gathered is one for each recipient and digest. */
export class MailCount {
  messages = 0
  private readonly byAddress = new Map<string, number>()

  /** Adds the plans of one workflow; how many mails they send. */
  add(plans: readonly Plan[]): number {
    const before = this.messages
    const digests = new Set<string>()
    for (const plan of plans) {
      for (const { held, to, cc, bcc } of plan.messages) if (!held || held.reason === 'quiet') this.got([...to, ...cc, ...bcc].map((r) => r.address.toLowerCase()))
      for (const { key, address } of gatheredBy(plan)) {
        if (!digests.has(key)) this.got([address])
        digests.add(key)
      }
    }
    return this.messages - before
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
