import { cronWords } from './cron'
import { typedCron } from './cron-typed'

test.each([
  ['working days at 07:00', '0 7 * * 1-5'],
  ['on weekdays at 7', '0 7 * * 1-5'],
  ['every day at 8:30', '30 8 * * *'],
  ['daily', '0 7 * * *'],
  ['Mondays', '0 7 * * 1'],
  ['each Monday and Thursday at 9', '0 9 * * 1,4'],
  ['every day at 08:00 and 16:00', '0 8,16 * * *'],
  ['every 15 minutes', '*/15 * * * *'],
  ['every hour on working days', '0 * * * 1-5'],
  ['every 2 hours', '0 */2 * * *'],
  ['the 1st of each month at 06:00', '0 6 1 * *'],
  ['each day at 5 pm', '0 17 * * *'],
  ['Wednesday, Saturday 12.15', '15 12 * * 3,6'],
  ['weekends at 10', '0 10 * * 6,0'],
  ['*/5 8-17 * * mon', '*/5 8-17 * * mon'],
])('“%s” is %s', (words, cron) => {
  expect(typedCron(words)).toBe(cron)
})

test.each(['', 'soon', 'every day at 08:00 and 16:30', 'at 25:00 every day', '61 * * * *', 'x'.repeat(500)])('%j is none', (words) => {
  expect(typedCron(words)).toBeNull()
})

test.each(['0 7 * * 1-5', '0 7 * * *', '0 8,16 * * *', '0 6 1 * *', '*/15 * * * *', '0 7 * * 1', '0 9 * * 1,4', '0 10 * * 6,0'])(
  '%s reads in words that are read back to it',
  (cron) => {
    expect(typedCron(cronWords(cron))).toBe(cron)
  },
)
