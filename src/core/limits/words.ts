import type { Limits } from '../document/document'
import { durationWords } from '../values/duration'

const DAYS = ['', 'Mondays', 'Tuesdays', 'Wednesdays', 'Thursdays', 'Fridays', 'Saturdays', 'Sundays']

/** The parts of limits, in the order in which they work. */
export const LIMIT_PARTS = ['mayStop', 'spacing', 'digest', 'mayGather', 'quietHours', 'perDay'] as const
export type LimitPart = (typeof LIMIT_PARTS)[number]

const listed = (parts: readonly string[]) => (parts.length < 2 ? parts.join('') : `${parts.slice(0, -1).join(', ')} and ${parts.at(-1)}`)

/** A limit as a line of the brief; `noun` is what the workflow's table has. */
export function limitWords(part: LimitPart, limits: Limits, noun: string): string {
  const { spacing, digest, quietHours, perDay, mayGather, mayStop } = limits
  if (part === 'spacing' && spacing) return `no more than one per ${spacing.per === 'record' ? noun : spacing.per} in ${durationWords(spacing.every)}`
  if (part === 'digest' && digest) {
    if ('every' in digest) return `gathered every ${durationWords(digest.every).replace(/^1 /, '')}`
    return digest.at === 'organisation' ? 'gathered as the organisation' : `gathered at ${listed(digest.at)}`
  }
  if (part === 'mayGather' && mayGather) return 'recipients may have it gathered'
  if (part === 'mayStop' && mayStop) return 'recipients outside may say stop'
  if (part === 'quietHours' && quietHours) {
    if (quietHours === 'organisation') return 'quiet as the organisation'
    const days = quietHours.days?.length && quietHours.days.length < 7 ? ` on ${listed(quietHours.days.map((d) => DAYS[d] ?? ''))}` : ''
    return `quiet ${quietHours.from} to ${quietHours.to}${days}`
  }
  return part === 'perDay' && perDay !== undefined ? `at most ${perDay} a day` : ''
}
