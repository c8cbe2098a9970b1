import { must } from '../must'
import { MONTH_NAMES, readCron, WEEKDAY_NAMES } from './cron'

/** The time of day that is meant where none is typed. */
const MORNING = { hour: 7, minute: 0 }

/** Most characters that are read as a timetable in words. */
const MOST = 200

/**
 * A timetable that was typed in words, as five cron fields: "working days at 07:00", "Mondays and Thursdays at 8", "every 15 minutes", "the 1st of each month at 06:00"; five fields that are
 * typed stay as they are. Null where it says nothing of that kind, or what five fields cannot say.
 */
export function typedCron(text: string): string | null {
  const typed = text.trim().toLowerCase().slice(0, MOST)
  if ('cron' in readCron(typed)) return typed
  const words = typed.replaceAll(/[,;]/g, ' ').replaceAll(/\s+/g, ' ')
  const weekdays = weekdaysIn(words)
  const monthDays = [...words.matchAll(/\b(\d{1,2})(?:st|nd|rd|th)\b/g)].map((m) => Number(m[1]))
  const months = MONTH_NAMES.flatMap((name, i) => (new RegExp(`\\b${name}[a-z]*\\b`).test(words) ? [i + 1] : []))
  const often = oftenIn(words)
  const times = often ? null : timesIn(words)
  const says = weekdays !== null || monthDays.length > 0 || often !== null || /\b(every|each|daily|day|days)\b/.test(words)
  if (!says || (times && new Set(times.map((t) => t.minute)).size > 1)) return null
  const [minute, hour] = often ?? [String(times?.[0]?.minute ?? MORNING.minute), (times?.length ? times : [MORNING]).map((t) => t.hour).join(',')]
  const cron = [minute, hour, monthDays.join(',') || '*', months.join(',') || '*', weekdays ?? '*'].join(' ')
  return 'cron' in readCron(cron) ? cron : null
}

function weekdaysIn(words: string): string | null {
  if (/\b(working days?|workdays?|weekdays?)\b/.test(words)) return '1-5'
  if (/\bweekends?\b/.test(words)) return '6,0'
  const fromMonday = WEEKDAY_NAMES.map((name, i) => ({ name, i })).sort((a, b) => ((a.i + 6) % 7) - ((b.i + 6) % 7))
  const named = fromMonday.flatMap(({ name, i }) => (new RegExp(`\\b${name}(?:day|s|sday|nesday|rsday|urday)?s?\\b`).test(words) ? [i] : []))
  return named.length ? named.join(',') : null
}

function oftenIn(words: string): [string, string] | null {
  const minutes = /\bevery (\d{1,2}) ?(?:minutes?|min)\b/.exec(words)
  if (minutes) return [`*/${minutes[1]}`, '*']
  if (/\bevery minute\b/.test(words)) return ['*', '*']
  const hours = /\bevery (\d{1,2}) ?(?:hours?|h)\b/.exec(words)
  if (hours) return ['0', `*/${hours[1]}`]
  return /\b(every hour|hourly)\b/.test(words) ? ['0', '*'] : null
}

function timesIn(words: string): { hour: number; minute: number }[] {
  const found = [...words.matchAll(/\b(\d{1,2})[:.](\d{2})\b ?(am|pm)?|(?:\bat|\band) (\d{1,2})(?![:.\d]|st|nd|rd|th) ?(am|pm)?\b/g)]
  return found.map((m) => ({ hour: hourOf(Number(m[1] ?? m[4]), m[3] ?? m[5]), minute: Number(must(m[2] ?? '0')) }))
}

function hourOf(hour: number, half: string | undefined): number {
  if (half === 'pm') return hour < 12 ? hour + 12 : hour
  return half === 'am' && hour === 12 ? 0 : hour
}
