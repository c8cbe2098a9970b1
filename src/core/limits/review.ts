import type { Workflow } from '../document/document'
import { readDuration } from '../values/duration'
import { everyMinutes, LONGEST, SHORTEST } from './digest'
import { readTime } from './time-of-day'

type Report = (code: string, path: string, message: string) => void

/** Most columns of a digest's table, and times of a day. */
const MOST_COLUMNS = 8
const MOST_TIMES = 24

/** The longest that mail is spaced by, in days. */
const MOST_DAYS_APART = 366

/** Reports what is wrong with a workflow's limits. */
export function reviewLimits({ limits, cue }: Workflow, error: Report): void {
  if (!limits) return
  const { spacing, quietHours, digest, perDay } = limits
  if (spacing) {
    const read = readDuration(spacing.every)
    if ('problem' in read) error('no length of time', '/limits/spacing/every', read.problem)
    else if (read.duration.days + read.duration.seconds / 86_400 > MOST_DAYS_APART)
      error('too long', '/limits/spacing/every', 'Mail is spaced by a year at most. Give a shorter time.')
    const isOfGroups = cue.kind === 'figure' || ('per' in cue && cue.per === 'group')
    if (spacing.per === 'group' && !isOfGroups)
      error('no groups', '/limits/spacing/per', 'It runs for no group of a figure, so there is none to be spaced by. Choose record, recipient or workflow.')
    const isOfRecords = cue.kind === 'record' || (cue.kind !== 'figure' && (cue.per ?? 'record') === 'record')
    if (spacing.per === 'record' && !isOfRecords)
      error('no record', '/limits/spacing/per', 'It runs for no one record, so there is none to be spaced by. Choose recipient, group or workflow.')
  }
  if (quietHours && quietHours !== 'organisation') {
    for (const side of ['from', 'to'] as const)
      if (readTime(quietHours[side]) === null) error('no time', `/limits/quietHours/${side}`, `${JSON.stringify(quietHours[side])} is no time of day. Write it such as 22:00.`)
    if (readTime(quietHours.from) !== null && readTime(quietHours.from) === readTime(quietHours.to) && !quietHours.days)
      error('always quiet', '/limits/quietHours/to', 'They would never end: they go round the whole clock, every day. Give an end, or the days they are for.')
    if (quietHours.days?.length === 0) error('no day', '/limits/quietHours/days', 'No day is chosen, so they would never be quiet. Choose some, or leave days out for every day.')
  }
  if (digest && 'at' in digest && digest.at !== 'organisation') {
    if (digest.at.length === 0) error('no time', '/limits/digest/at', 'No time of day is given to gather for. Give one or more, such as 08:00.')
    if (digest.at.length > MOST_TIMES) error('too many times', '/limits/digest/at', `A digest has at most ${MOST_TIMES} times a day.`)
    digest.at.forEach((time, i) => {
      const [now, before] = [readTime(time), readTime(digest.at[i - 1] ?? '')]
      if (now === null) error('no time', `/limits/digest/at/${i}`, `${JSON.stringify(time)} is no time of day. Write it such as 08:00.`)
      else if (before !== null && now <= before) error('not in order', `/limits/digest/at/${i}`, `${time} stands after ${digest.at[i - 1]}. Give the times in order, each once.`)
    })
  } else if (digest && 'every' in digest && everyMinutes(digest.every) === null)
    error(
      'no length of time',
      '/limits/digest/every',
      `A digest comes every ${SHORTEST} minutes to ${LONGEST / 60} hours, in whole minutes, such as PT1H; for certain times of the day use at.`,
    )
  if (digest?.columns && digest.columns.length > MOST_COLUMNS) error('too many columns', '/limits/digest/columns', `A row of a digest has at most ${MOST_COLUMNS} columns.`)
  if (perDay !== undefined && perDay > 1_000_000) error('too many', '/limits/perDay', 'A million mails a day is no limit. Give a lower number, or leave it out.')
}
