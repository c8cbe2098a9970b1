/** Most characters of a server's reply that are kept. */
const MOST_REPLY = 2_000

/** What another server said as it can be kept: whatever that is, it is text of a bounded length, without a NUL, which PostgreSQL's texts have no room for. */
export function keptReply(reply: string): string {
  return reply.slice(0, MOST_REPLY).replaceAll('\u0000', '').toWellFormed()
}
