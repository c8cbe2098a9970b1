import { must } from '../must'
import { MONTH_WORDS, WEEKDAY_WORDS } from '../values/calendar-words'
import { readCron } from './cron'

/** The time of day that is meant where none is typed. */
const MORNING = { hour: 7, minute: 0 }

/** Most characters that are read as a timetable in words. */
const MOST = 200

/** Words of a timetable, of which parts are taken until only joining words are left. */
class Phrase {
  constructor(private rest: string) {}

  /** Takes everything that fits. */
  take(pattern: RegExp): RegExpExecArray[] {
    const found = [...this.rest.matchAll(pattern)]
    this.rest = this.rest.replaceAll(pattern, ' ')
    return found
  }

  has(pattern: RegExp): boolean {
    return this.take(pattern).length > 0
  }

  /** Whether what is left says nothing more. */
  get isSpent(): boolean {
    return /^(?:\s|\b(?:every|each|on|at|and|or|the|of|in|a|per|once|always|o'clock|months?|weeks?|years?|monthly|weekly|yearly|hours|time)\b)*$/.test(this.rest)
  }
}

/**
 * A timetable that was typed in words, as five cron fields: "working days at 07:00", "Mondays and Thursdays at 8", "every 15 minutes", "the 1st of each month at 06:00", "every hour between 8 and
 * 17"; five fields that are typed stay as they are. Null where it says nothing of that kind, says more than was understood, or what five fields cannot say, such as every third day.
 */
export function typedCron(text: string): string | null {
  const typed = text.trim().toLowerCase().slice(0, MOST)
  if ('cron' in readCron(typed)) return typed
  const phrase = new Phrase(plain(typed))
  const often = oftenIn(phrase)
  const weekdays = weekdaysIn(phrase)
  const monthDays = phrase.take(/\b(\d{1,2})(?:st|nd|rd|th)\b/g).map((m) => Number(m[1]))
  const unit = weekdays === null && monthDays.length === 0 ? unitIn(phrase) : null
  const months = MONTH_WORDS.flatMap((name, i) => (phrase.has(new RegExp(`\\b${name}\\b`, 'g')) ? [i + 1] : []))
  const times = often ? [] : timesIn(phrase)
  const isDaily = phrase.has(/\b(?:daily|(?:every|each|once a|once per) (?:single )?day|(?:every|each|in the) mornings?)\b/g)
  if (!phrase.isSpent || !(weekdays || monthDays.length || often || unit || isDaily) || new Set(times.map((t) => t.minute)).size > 1) return null
  const [minute, hour] = often ?? [String(times[0]?.minute ?? MORNING.minute), (times.length ? times : [MORNING]).map((t) => t.hour).join(',')]
  const day = monthDays.join(',') || unit?.day || '*'
  const cron = [minute, hour, day, months.join(',') || unit?.month || '*', weekdays ?? unit?.weekday ?? '*'].join(' ')
  return 'cron' in readCron(cron) ? cron : null
}

/** The words with times of day and parts of an hour as numbers. */
const plain = (typed: string) =>
  typed
    .replaceAll(/[,;]/g, ' ')
    .replaceAll(/\bnoon\b/g, '12:00')
    .replaceAll(/\bmidnight\b/g, '0:00')
    .replaceAll(/\bhalf (?:an )?hour\b/g, '30 minutes')
    .replaceAll(/\bquarter (?:of an )?hour\b/g, '15 minutes')
    .replaceAll(/\bfirst(?= (?:day )?of\b)/g, '1st')
    .replaceAll(/\b1st day of\b/g, '1st of')
    .replaceAll(/\s+/g, ' ')

function weekdaysIn(phrase: Phrase): string | null {
  if (phrase.has(/\b(?:working days?|workdays?|weekdays?|business days?)\b/g)) return '1-5'
  if (phrase.has(/\bweekends?\b/g)) return '6,0'
  const named = WEEKDAY_WORDS.flatMap((word, i) => (phrase.has(new RegExp(`\\b${word}\\b`, 'g')) ? [(i + 1) % 7] : []))
  return named.length ? named.join(',') : null
}

/** A week begins on Monday, a month, a quarter and a year on their first day. */
function unitIn(phrase: Phrase): { readonly day?: string; readonly month?: string; readonly weekday?: string } | null {
  const is = (unit: string) => phrase.has(new RegExp(`\\b(?:(?:every|each|once a|once per) ${unit}|${unit}ly)\\b`, 'g'))
  if (is('week')) return { weekday: '1' }
  if (is('month')) return { day: '1' }
  if (is('quarter')) return { day: '1', month: '1,4,7,10' }
  return is('year') ? { day: '1', month: '1' } : null
}

/** Minutes and hours of what comes several times a day, between two hours where those are said. */
function oftenIn(phrase: Phrase): [string, string] | null {
  const [minutes] = phrase.take(/\bevery (?:([1-5]?\d) ?)?(?:minutes?|min)\b/g)
  const [hours] = minutes ? [] : phrase.take(/\b(?:every (?:(\d{1,2}) ?)?(?:hours?|h)|hourly)\b/g)
  if (!minutes && !hours) return null
  const [span] = phrase.take(/\b(?:between|from) (\d{1,2})(?:[:.]00)? (?:and|to|until|till) (\d{1,2})(?:[:.]00)?(?![:.\d])/g)
  // every quarter of an hour between 8 and 17 ends before 17:00, every hour with it
  const within = span ? `${span[1]}-${minutes ? Number(span[2]) - 1 : span[2]}` : null
  if (minutes) return [minutes[1] ? `*/${minutes[1]}` : '*', within ?? '*']
  return ['0', hours?.[1] ? `${within ?? '*'}/${hours[1]}` : (within ?? '*')]
}

function timesIn(phrase: Phrase): { hour: number; minute: number }[] {
  const found = phrase.take(/\b(\d{1,2})[:.](\d{2})\b ?(am|pm)?|(?:\bat|\band) (\d{1,2})(?![:.\d]|st|nd|rd|th) ?(am|pm)?\b/g)
  return found.map((m) => ({ hour: hourOf(Number(m[1] ?? m[4]), m[3] ?? m[5]), minute: Number(must(m[2] ?? '0')) }))
}

function hourOf(hour: number, half: string | undefined): number {
  if (half === 'pm') return hour < 12 ? hour + 12 : hour
  return half === 'am' && hour === 12 ? 0 : hour
}
