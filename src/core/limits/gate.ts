import { type Occasion, standingOf } from '../cues/occasion'
import type { Limits } from '../document/document'
import { must } from '../must'
import type { Note } from '../recipients/recipients'
import { after, durationWords, readDuration } from '../values/duration'
import { formatInstant } from '../values/format'
import type { Organisation, RecordId, Stored } from '../values/tables'
import { everybody, type Held, type Plan, type PlannedMessage, type PlannedNotice } from '../workflow/plan'
import { digestMoment } from './digest'
import { inForce, type LimitsInForce } from './in-force'
import { gatherForOwn, leaveOutStopped, type Said } from './own-say'
import { quietUntil } from './quiet'
import { without } from './without'

/** What a run is about, as far as limits ask. */
export interface About {
  readonly at: Date
  readonly record: RecordId | null
  /** The group of a figure; null where it is of none. */
  readonly group: Stored
}

export const aboutOf = (occasion: Occasion): About => ({ at: occasion.at, record: occasion.record, group: standingOf(occasion)?.group ?? null })

/** What is known of what passed before. */
export interface Passing {
  /** When something with a key passed last, and in which run. */
  last(key: string): { readonly at: Date; readonly run: string } | null
  /** How many mails passed on the day of a moment. */
  passedOn(at: Date): number
  /** What an address asked for of the workflow. */
  readonly said: Said
}

/** What limits make of a plan. */
export interface Gated {
  readonly messages: readonly PlannedMessage[]
  readonly notices: readonly PlannedNotice[]
  readonly notes: readonly Note[]
  /** The keys that passed now, for those that come after. */
  readonly keys: readonly string[]
  /** How many mails passed that count towards the day's. */
  readonly counted: number
  /** How many mails, or addresses of them, were left out. */
  readonly leftOut: number
  /** How many addresses were left out that said stop. */
  readonly stopped: number
}

/**
 * Lets a plan through its workflow's limits: whoever said stop is left out, spacing leaves out, digests gather, quiet hours hold until they end, and past the day's number the rest is held. Writes are not
 * touched. Pure, the same for live, rehearsal and dry run; `run` tells this run from all others, `now` is when it would be sent.
 */
export function gate(plan: Plan, given: Limits | undefined, about: About, run: string, passing: Passing, organisation: Organisation, now = about.at): Gated {
  const limits = inForce(given ?? {}, organisation)
  const wanted = leaveOutStopped(plan.messages, passing.said, organisation)
  const spaced = space({ ...plan, messages: wanted.messages }, limits, about, run, passing, organisation)
  const own = gatherForOwn(spaced.messages, limits, passing.said, now, organisation)
  const hold = holding(limits, now, passing, organisation.zone)
  const messages = [...own.messages.map((m): PlannedMessage => ({ ...m, ...hold.mail() })), ...own.gathered]
  const notices = spaced.notices.map((n): PlannedNotice => ({ ...n, ...hold.notice() }))
  return { ...spaced, messages, notices, notes: [...wanted.notes, ...spaced.notes, ...own.notes, ...hold.notes(organisation)], counted: hold.counted(), stopped: wanted.leftOut }
}

/** A plan as limits let it through. */
export const gatedPlan = (plan: Plan, { messages, notices, notes }: Pick<Gated, 'messages' | 'notices' | 'notes'>): Plan => ({
  ...plan,
  messages,
  notices,
  notes: [...plan.notes, ...notes],
})

type Spaced = Pick<Gated, 'messages' | 'notices' | 'notes' | 'keys' | 'leftOut'>

/** The keys of spacing, by what it is per. */
const keyOf = (per: string, what: unknown) => JSON.stringify([per, what ?? null])

/** What a mail or notice is spaced by, where that is not its recipients. */
function keyOfRun(per: 'record' | 'group' | 'workflow', { record, group }: About): string {
  return keyOf(per, per === 'record' ? record : per === 'group' ? group : null)
}

export const recipientKey = (address: string): string => keyOf('recipient', address.trim().toLowerCase())

/** What a notice to people or a channel is spaced by. */
const noticeKey = ({ channel, people }: PlannedNotice) => keyOf('notice', channel ?? people)

/** Whether nobody is told anything: then nothing passes either, and what comes next is the first. */
const isSilent = ({ messages, notices }: Pick<Plan, 'messages' | 'notices'>) => messages.length === 0 && notices.length === 0

/** Every key that a plan's spacing asks about. */
export function keysOf(plan: Plan, limits: Pick<Limits, 'spacing'> | undefined, about: About): string[] {
  const { messages, notices } = plan
  const per = limits?.spacing?.per
  if (!per || isSilent(plan)) return []
  if (per !== 'recipient') return [keyOfRun(per, about)]
  return [...new Set([...messages.flatMap((m) => everybody(m).map((r) => recipientKey(r.address))), ...notices.map(noticeKey)])]
}

function space({ messages, notices }: Plan, { spacing }: LimitsInForce, about: About, run: string, passing: Passing, organisation: Organisation): Spaced {
  const none: Spaced = { messages, notices, notes: [], keys: [], leftOut: 0 }
  const read = spacing && readDuration(spacing.every)
  if (!spacing || !read || 'problem' in read || isSilent(none)) return none
  const { per, every } = spacing
  const notes: Note[] = []
  const keys = new Set<string>()
  const passes = (key: string): boolean => {
    const last = passing.last(key)
    const isFree = last === null || last.run === run || after(last.at, read.duration, organisation.zone) <= about.at
    if (isFree) keys.add(key)
    return isFree
  }
  const last = (key: string) => formatInstant(must(passing.last(key)).at.toISOString(), organisation)
  const note = (path: string, whom: string, key: string) =>
    notes.push({ code: 'spaced', path, message: `Not sent${whom}: one per ${per} in ${durationWords(every)}; the last went ${last(key)}.` })
  if (per !== 'recipient') {
    const key = keyOfRun(per, about)
    if (passes(key)) return { ...none, keys: [...keys] }
    for (const { path } of [...messages, ...notices]) note(path, '', key)
    return { messages: [], notices: [], notes, keys: [], leftOut: messages.length }
  }
  let leftOut = 0
  const kept = messages.flatMap((message) => {
    const spaced = everybody(message).filter(({ address }) => {
      const key = recipientKey(address)
      if (passes(key)) return false
      leftOut++
      note(message.path, ` to ${address}`, key)
      return true
    })
    return without(message, (one) => spaced.includes(one))
  })
  const told = notices.filter((n) => {
    const key = noticeKey(n)
    if (passes(key)) return true
    note(n.path, n.channel ? ` to ${n.channel}` : '', key)
    return false
  })
  return { messages: kept, notices: told, notes, keys: [...keys], leftOut }
}

/** What holds mail and notices at a moment: a digest, quiet hours, and past the day's number the cap. */
function holding({ quietHours, digest, perDay }: LimitsInForce, at: Date, passing: Passing, zone: string) {
  const quiet = quietHours ? quietUntil(quietHours, at, zone) : null
  const gathered = digest ? digestMoment(digest, at, zone) : null
  // a digest whose moment is in quiet hours comes when they end
  const moment = gathered && ((quietHours && quietUntil(quietHours, gathered, zone)) ?? gathered)
  const before = passing.passedOn(at)
  let [gatheredMail, counted, capped, quieted] = [0, 0, 0, 0]
  const until = (reason: Held['reason'], end: Date | null) => ({ held: { reason, until: end } })
  const untilQuietEnds = () => {
    if (!quiet) return {}
    quieted++
    return until('quiet', quiet)
  }
  return {
    mail: () => {
      if (moment) {
        gatheredMail++
        return until('digest', moment)
      }
      if (perDay !== undefined && before + counted >= perDay) {
        capped++
        return until('cap', null)
      }
      counted++
      return untilQuietEnds()
    },
    notice: untilQuietEnds,
    counted: () => counted,
    /** Of what was held, for what was not is nothing to be said. */
    notes: (organisation: Organisation): Note[] => {
      const when = (date: Date) => formatInstant(date.toISOString(), organisation)
      return [
        ...(moment && gatheredMail > 0 ? [{ code: 'gathered', path: '/limits/digest', message: `Gathered for the digest of ${when(moment)}.` }] : []),
        ...(quiet && quieted > 0 ? [{ code: 'quiet', path: '/limits/quietHours', message: `Held until the quiet hours end, ${when(quiet)}.` }] : []),
        ...(capped > 0 ? [{ code: 'capped', path: '/limits/perDay', message: `Held: ${perDay} mails went today already, which is the most of a day.` }] : []),
      ]
    },
  }
}
