import type { Note } from '../recipients/recipients'
import { formatInstant } from '../values/format'
import type { Organisation } from '../values/tables'
import { everybody, type PlannedMessage, type PlannedRecipient } from '../workflow/plan'
import { digestMoment } from './digest'
import { type LimitsInForce, ownDigestTimes } from './in-force'
import { quietUntil } from './quiet'
import { without } from './without'

/** What a recipient asked for themselves of a workflow: its mail gathered, or none any more. */
export interface OwnSay {
  readonly say: 'digest' | 'stop'
  readonly at: Date
}

/** Finds what an address asked for of the workflow at hand; null for nothing. */
export type Said = (address: string) => OwnSay | null

/** Nobody asked for anything. */
export const NOTHING_SAID: Said = () => null

/** Leaves out whoever said stop. It is kept to also where the workflow does not offer it any more. */
export function leaveOutStopped(messages: readonly PlannedMessage[], said: Said, organisation: Organisation): { messages: PlannedMessage[]; notes: Note[]; leftOut: number } {
  const notes: Note[] = []
  const kept = messages.flatMap((message) => {
    const stopped = everybody(message).filter((one) => said(one.address)?.say === 'stop')
    if (stopped.length === 0) return [message]
    for (const { address } of stopped) {
      const when = formatInstant(said(address)?.at.toISOString() ?? '', organisation)
      notes.push({ code: 'stopped', path: message.path, message: `Not sent to ${address}: they said stop ${when}.` })
    }
    return without(message, (one) => stopped.includes(one))
  })
  return { messages: kept, notes, leftOut: notes.length }
}

/** Sets apart what recipients want gathered, one message each, where the workflow lets them and gathers nothing itself. */
export function gatherForOwn(
  messages: readonly PlannedMessage[],
  { mayGather, digest, quietHours }: LimitsInForce,
  said: Said,
  now: Date,
  organisation: Organisation,
): { messages: readonly PlannedMessage[]; gathered: PlannedMessage[]; notes: Note[] } {
  const wants = (one: PlannedRecipient) => said(one.address)?.say === 'digest'
  if (!mayGather || digest || !messages.some((m) => everybody(m).some(wants))) return { messages, gathered: [], notes: [] }
  const { zone } = organisation
  const due = digestMoment({ at: [...ownDigestTimes(organisation)] }, now, zone) ?? now
  const until = (quietHours && quietUntil(quietHours, due, zone)) ?? due
  const gathered: PlannedMessage[] = []
  const notes: Note[] = []
  const rest = messages.flatMap((message) => {
    for (const one of everybody(message).filter(wants)) {
      gathered.push({ ...message, to: [one], cc: [], bcc: [], held: { reason: 'digest', until } })
      notes.push({
        code: 'gathered for',
        path: message.path,
        message: `Gathered for ${one.address}, as they asked, for the digest of ${formatInstant(until.toISOString(), organisation)}.`,
      })
    }
    return everybody(message).some(wants) ? without(message, wants) : [message]
  })
  return { messages: rest, gathered, notes }
}
