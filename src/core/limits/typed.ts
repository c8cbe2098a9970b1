import type { Limits } from '../document/document'
import { WEEKDAY_WORDS } from '../values/calendar-words'
import { typedDuration } from '../values/duration'
import { readTime, timeWords } from './time-of-day'

/** A limit that was typed in words: "no more than one per claim an hour", "quiet 22:00 to 07:00", "gathered at 08:00 and 16:00", "at most 200 a day", "as the organisation" for the hours or times, "recipients may say stop"; null where it is none. */
export function typedLimit(text: string, singular: string): Limits | null {
  const plain = text.trim().toLowerCase().replaceAll(/\s+/g, ' ')
  return spacing(plain, singular) ?? taken(plain) ?? quiet(plain) ?? gathered(plain) ?? cap(plain) ?? ownSay(plain)
}

/** “no more than one per claim in 1 hour”, “at most once per claim a day”. */
const SPACED = /^(?:no more (?:often )?than|at most|only|not more than) (?:one|once) (?:per|a|an|for each|to each) (.+?) (?:in|every|per|within|and)? ?((?:an?|one|\d+) ?\w+)$/
/** “no more than once a day per claim”. */
const SPACED_FIRST =
  /^(?:no more (?:often )?than|at most|only|not more than) (?:one|once) (?:in|every|per|within)? ?((?:an?|one|\d+) ?\w+) (?:per|for each|to each|for the same) (.+)$/
const turned = (found: RegExpExecArray | null) => found && [found[0], found[2], found[1]]

function spacing(plain: string, singular: string): Limits | null {
  const [, what = '', every = ''] = SPACED.exec(plain) ?? turned(SPACED_FIRST.exec(plain)) ?? []
  const duration = typedDuration(every)
  if (!duration) return null
  const noun = singular.replaceAll('_', ' ').toLowerCase()
  const per =
    what === noun || what === 'record'
      ? 'record'
      : ['recipient', 'person', 'address', 'addressee'].includes(what)
        ? 'recipient'
        : what === 'group' || what === 'workflow'
          ? what
          : null
  return per && { spacing: { per, every: duration } }
}

function quiet(plain: string): Limits | null {
  const [, wholeDays] = /^quiet(?: all day)? (?:on|at|over)(?: the)? ([a-z, ]+)$/.exec(plain) ?? []
  if (wholeDays) return onDays('00:00', '24:00', wholeDays)
  const [, begin = '', end = '', on = ''] = /^quiet(?: hours)?(?: from)? (\d{1,2}(?::\d{2})?) (?:to|until|-|–) (\d{1,2}(?::\d{2})?)(?: (?:on|at)(?: the)? (.+))?$/.exec(plain) ?? []
  const [from, to] = [timeFrom(begin), timeFrom(end)]
  return from === null || to === null ? null : onDays(from, to, on)
}

function onDays(from: string, to: string, on: string): Limits | null {
  const days =
    on === ''
      ? []
      : /^weekends?$/.test(on)
        ? [6, 7]
        : on === 'working days' || on === 'weekdays'
          ? [1, 2, 3, 4, 5]
          : on.split(/,| and /).map((day) => WEEKDAY_WORDS.findIndex((word) => new RegExp(`^${word}$`).test(day.trim())) + 1)
  return days.includes(0) ? null : { quietHours: { from, to, ...(days.length ? { days } : {}) } }
}

/** What is taken over from the organisation. */
function taken(plain: string): Limits | null {
  const [, what = ''] = /^(.+?)(?: times)?(?:,| at| to be)? as the organisation(?:'s|’s| has it| is)?$/.exec(plain) ?? []
  if (/^quiet(?: hours)?$/.test(what)) return { quietHours: 'organisation' }
  return /^(?:gathered|in a digest|as a digest|digest)$/.test(what) ? { digest: { at: 'organisation' } } : null
}

/** What recipients may ask for themselves. */
function ownSay(plain: string): Limits | null {
  if (/^(?:recipients|people|they) (?:may|can) (?:have it gathered|ask for a digest|get a digest|gather it)$/.test(plain)) return { mayGather: true }
  return /^(?:(?:recipients|people|those)(?: (?:from )?outside)?|they) (?:may|can) (?:say stop|stop it|stop|unsubscribe)$/.test(plain) ? { mayStop: true } : null
}

function timeFrom(text: string): string | null {
  const minutes = readTime(text.includes(':') ? text : `${text}:00`)
  return text === '' || minutes === null ? null : timeWords(minutes)
}

function gathered(plain: string): Limits | null {
  const [, times] = /^(?:gathered|digest|in a digest|as a digest)(?: at)? (\d[\d:, and]*)$/.exec(plain) ?? []
  if (times) {
    const at = times.split(/,| and /).map((t) => timeFrom(t.trim()))
    return at.every((t) => t !== null) ? { digest: { at: [...new Set(at)].sort() } } : null
  }
  const [, every = ''] = /^(?:gathered|digest|in a digest|as a digest) every (.+)$/.exec(plain) ?? []
  const duration = typedDuration(/^(?:\d|an? )/.test(every) ? every : `1 ${every}`)
  return duration ? { digest: { every: duration } } : null
}

function cap(plain: string): Limits | null {
  const [, count] = /^(?:at most|no more than|not more than) (\d{1,7})(?: mails?)? (?:a|per|each) day$/.exec(plain) ?? []
  return count && Number(count) > 0 ? { perDay: Number(count) } : null
}
