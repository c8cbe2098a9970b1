import type { Limits, Workflow } from '../document/document'
import { createEngines } from '../message/render'
import { digestMoment } from './digest'
import { composeDigest, type DigestEntry, digestProblem, kindsOf, MOST_ROWS } from './digest-mail'
import { DIGEST_WORDS } from './digest-words'
import { quietUntil } from './quiet'
import { reviewLimits } from './review'
import { readTime } from './time-of-day'
import { typedLimit } from './typed'
import { LIMIT_PARTS, limitWords } from './words'

// what a person in the zone reads on the clock, worked out by hand
test.each([
  [{ from: '22:00', to: '07:00' }, '2026-03-02T22:00:00Z', 'Europe/London', '2026-03-03T07:00:00.000Z'],
  [{ from: '22:00', to: '07:00' }, '2026-03-02T21:59:59Z', 'Europe/London', null],
  [{ from: '22:00', to: '07:00' }, '2026-03-03T07:00:00Z', 'Europe/London', null],
  [{ from: '22:00', to: '07:00' }, '2026-03-29T00:30:00Z', 'Europe/London', '2026-03-29T06:00:00.000Z'], // clocks go forward in that night
  [{ from: '22:00', to: '07:00' }, '2026-10-25T00:30:00Z', 'Europe/London', '2026-10-25T07:00:00.000Z'], // and back in that
  [{ from: '12:00', to: '13:00', days: [1] }, '2026-03-02T12:30:00Z', 'UTC', '2026-03-02T13:00:00.000Z'],
  [{ from: '12:00', to: '13:00', days: [1] }, '2026-03-03T12:30:00Z', 'UTC', null],
  [{ from: '22:00', to: '07:00', days: [5] }, '2026-03-07T06:00:00Z', 'UTC', '2026-03-07T07:00:00.000Z'], // Saturday morning is Friday's night
  [{ from: '22:00', to: '07:00', days: [5] }, '2026-03-06T06:00:00Z', 'UTC', null],
  [{ from: '00:00', to: '24:00', days: [6, 7] }, '2026-03-07T15:00:00Z', 'UTC', '2026-03-09T00:00:00.000Z'], // a whole weekend
  [{ from: '9:00', to: '17:00' }, '2026-03-02T01:00:00Z', 'Asia/Tokyo', '2026-03-02T08:00:00.000Z'],
])('quiet %j at %s in %s ends %s', (quiet, at, zone, end) => {
  expect(quietUntil(quiet, new Date(at), zone)?.toISOString() ?? null).toBe(end)
})

test.each([
  [{ at: ['08:00', '16:00'] }, '2026-03-02T07:59:00Z', 'UTC', '2026-03-02T08:00:00.000Z'],
  [{ at: ['08:00', '16:00'] }, '2026-03-02T08:00:00Z', 'UTC', '2026-03-02T16:00:00.000Z'],
  [{ at: ['08:00', '16:00'] }, '2026-03-02T16:30:00Z', 'UTC', '2026-03-03T08:00:00.000Z'],
  [{ at: ['01:30'] }, '2026-03-29T00:00:00Z', 'Europe/London', '2026-03-29T01:00:00.000Z'], // there is no half past one in that night
  [{ every: 'PT1H' }, '2026-03-02T10:20:00Z', 'UTC', '2026-03-02T11:00:00.000Z'],
  [{ every: 'PT1H' }, '2026-03-02T10:00:00Z', 'UTC', '2026-03-02T11:00:00.000Z'],
  [{ every: 'PT5H' }, '2026-03-02T21:00:00Z', 'UTC', '2026-03-03T00:00:00.000Z'], // counted from midnight
  [{ every: 'P1D' }, '2026-03-02T21:00:00Z', 'UTC', '2026-03-03T00:00:00.000Z'],
])('what comes at %j after %s in %s is gathered until %s', (digest, at, zone, moment) => {
  expect(digestMoment(digest, new Date(at), zone)?.toISOString()).toBe(moment)
})

test.each<[Limits, string]>([
  [{ spacing: { per: 'record', every: 'PT1H' } }, 'no more than one per claim in 1 hour'],
  [{ spacing: { per: 'recipient', every: 'P2D' } }, 'no more than one per recipient in 2 days'],
  [{ spacing: { per: 'workflow', every: 'PT90M' } }, 'no more than one per workflow in 90 minutes'],
  [{ digest: { at: ['08:00', '16:00'] } }, 'gathered at 08:00 and 16:00'],
  [{ digest: { at: ['07:30'] } }, 'gathered at 07:30'],
  [{ digest: { every: 'PT1H' } }, 'gathered every hour'],
  [{ digest: { every: 'PT30M' } }, 'gathered every 30 minutes'],
  [{ quietHours: { from: '22:00', to: '07:00' } }, 'quiet 22:00 to 07:00'],
  [{ quietHours: { from: '00:00', to: '00:00', days: [6, 7] } }, 'quiet 00:00 to 00:00 on Saturdays and Sundays'],
  [{ perDay: 200 }, 'at most 200 a day'],
  [{ quietHours: 'organisation' }, 'quiet as the organisation'],
  [{ digest: { at: 'organisation' } }, 'gathered as the organisation'],
  [{ mayGather: true }, 'recipients may have it gathered'],
  [{ mayStop: true }, 'recipients outside may say stop'],
])('%j reads %s, and is read back from it', (limits, words) => {
  expect(LIMIT_PARTS.map((part) => limitWords(part, limits, 'claim')).join('')).toBe(words)
  expect(typedLimit(words, 'claim')).toEqual(limits)
})

test.each<[string, Limits | null]>([
  ['no more than one per claim an hour', { spacing: { per: 'record', every: 'PT1H' } }],
  ['no more often than one per person a day', { spacing: { per: 'recipient', every: 'P1D' } }],
  ['only one per claim every 2 hours', { spacing: { per: 'record', every: 'PT2H' } }],
  ['quiet hours from 9 to 17 on working days', { quietHours: { from: '09:00', to: '17:00', days: [1, 2, 3, 4, 5] } }],
  ['quiet at weekends', { quietHours: { from: '00:00', to: '24:00', days: [6, 7] } }],
  ['quiet on Sundays', { quietHours: { from: '00:00', to: '24:00', days: [7] } }],
  ['no more than once per claim a day', { spacing: { per: 'record', every: 'P1D' } }],
  ['at most once every 2 hours per claim', { spacing: { per: 'record', every: 'PT2H' } }],
  ['quiet on monsters', null],
  ['digest at 8:00, 12:00 and 16:00', { digest: { at: ['08:00', '12:00', '16:00'] } }],
  ['at most 10 mails a day', { perDay: 10 }],
  ['quiet hours as the organisation', { quietHours: 'organisation' }],
  ['digest as the organisation', { digest: { at: 'organisation' } }],
  ['recipients may ask for a digest', { mayGather: true }],
  ['recipients may say stop', { mayStop: true }],
  ['spaced as the organisation', null],
  ['no more than one per invoice an hour', null],
  ['quiet 25:00 to 07:00', null],
  ['at most 0 a day', null],
  ['quiet 1:00 to 2:00 on someday', null],
])('typed %j is %j', (text, limits) => {
  expect(typedLimit(text, 'claim')).toEqual(limits)
})

test('what is wrong with limits is said with its place', () => {
  const problems = (limits: Limits, cue: Workflow['cue'] = { kind: 'record', on: ['created'] }) => {
    const found: string[] = []
    reviewLimits({ rappel: 'workflow/1', name: 'w', table: 'claims', cue, actions: [], limits }, (_code, path, message) => found.push(`${path} ${message}`))
    return found
  }
  expect(problems({ spacing: { per: 'record', every: 'an hour' } })).toEqual([expect.stringMatching(/^\/limits\/spacing\/every .*no length of time/)])
  expect(problems({ spacing: { per: 'group', every: 'PT1H' } })).toEqual([expect.stringMatching(/^\/limits\/spacing\/per .*no group/)])
  expect(problems({ spacing: { per: 'record', every: 'PT1H' } }, { kind: 'figure', figure: 'f', threshold: 't' })).toEqual([expect.stringMatching(/no one record/)])
  expect(problems({ quietHours: { from: '25:00', to: 'noon', days: [] } }).map((p) => p.split(' ')[0])).toEqual([
    '/limits/quietHours/from',
    '/limits/quietHours/to',
    '/limits/quietHours/days',
  ])
  expect(problems({ digest: { at: [] } })).toEqual([expect.stringMatching(/^\/limits\/digest\/at /)])
  expect(problems({ digest: { at: ['8 o’clock'] } })).toEqual([expect.stringMatching(/^\/limits\/digest\/at\/0 /)])
  expect(problems({ digest: { at: ['16:00', '08:00'] } })).toEqual([expect.stringMatching(/^\/limits\/digest\/at\/1 .*in order/)])
  expect(problems({ digest: { at: ['08:00', '8:00'] } })).toEqual([expect.stringMatching(/^\/limits\/digest\/at\/1 /)])
  expect(problems({ spacing: { per: 'record', every: 'P400D' } })).toEqual([expect.stringMatching(/^\/limits\/spacing\/every .*a year at most/)])
  expect(problems({ spacing: { per: 'record', every: 'PT0S' } })).toEqual([expect.stringMatching(/^\/limits\/spacing\/every /)])
  expect(problems({ quietHours: { from: '08:00', to: '8:00' } })).toEqual([expect.stringMatching(/^\/limits\/quietHours\/to .*never end/)])
  expect(problems({ quietHours: 'organisation', digest: { at: 'organisation' } })).toEqual([])
  expect(problems({ digest: { every: 'P2D' } })).toEqual([expect.stringMatching(/^\/limits\/digest\/every .*5 minutes to 24 hours/)])
  expect(problems({ digest: { every: 'PT1H', columns: Array.from({ length: 9 }, () => 'status') } })).toEqual([expect.stringMatching(/at most 8 columns/)])
  expect([readTime('7:05'), readTime('24:00'), readTime('24:01'), readTime('7'), readTime('07:60')]).toEqual([425, 0, null, null, null])
})

const entry = (i: number, parts: Partial<DigestEntry> = {}): DigestEntry => ({
  workflow: 'W',
  title: `<T${i}>`,
  link: `http://rappel.example/records/claims/${i}`,
  why: `http://rappel.example/why/${i}`,
  noun: ['claim', 'claims'],
  columns: [{ label: 'Status', value: i % 2 ? 'New' : '' }],
  at: new Date(Date.UTC(2026, 2, 2, 8, i % 60)).toISOString(),
  ...parts,
})

test('a digest counts what it has, escapes it, and shows at most two hundred rows, the rest counted and linked', () => {
  const engines = createEngines({ name: 'O', locale: 'en-GB', zone: 'UTC', currency: 'GBP' })
  const about = { recipient: 'Ines', organisation: 'O', until: new Date('2026-03-02T16:00:00Z'), baseUrl: 'http://rappel.example' }
  const few = composeDigest([entry(1), entry(2, { noun: ['defect', 'defects'], workflow: 'V', link: null })], about, DIGEST_WORDS, engines)
  expect(few.subject).toBe('2 alerts: 1 claim, 1 defect')
  expect(few.html).toContain('&lt;T1&gt;</a>')
  expect(few.html).not.toContain('<T1>')
  expect(few.text).toContain('<T1> [http://rappel.example/records/claims/1]')
  expect(few.text.match(/Status: /g)).toHaveLength(1) // what is blank is left out
  const many = composeDigest(
    Array.from({ length: MOST_ROWS + 50 }, (_, i) => entry(i)),
    about,
    DIGEST_WORDS,
    engines,
  )
  expect(many.html.match(/<tr /g)).toHaveLength(MOST_ROWS)
  expect(many.html).toContain('and 50 more: <a href="http://rappel.example/runs?workflow=W">')
  expect(kindsOf([entry(1, { noun: ['defect', 'defects'] }), entry(2), entry(3)])).toBe('2 claims, 1 defect')
  expect(digestProblem(DIGEST_WORDS, engines)).toBeNull()
  expect(digestProblem({ subject: '{{ count }', body: 'x' }, engines)).toMatch(/./)
  expect(digestProblem({ subject: ' ', body: 'x' }, engines)).toBe('The subject is empty.')
  expect(digestProblem({ subject: 'x', body: '{% for i in (1..100000000) %}x{% endfor %}' }, engines)).toMatch(/./) // does not go on for ever
})
