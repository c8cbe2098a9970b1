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
  ['every Friday at noon', '0 12 * * 5'],
  ['every day at midnight', '0 0 * * *'],
  ['every half hour', '*/30 * * * *'],
  ['every week', '0 7 * * 1'],
  ['weekly at 9', '0 9 * * 1'],
  ['every month at 8', '0 8 1 * *'],
  ['on the first of every month at 8:00', '0 8 1 * *'],
  ['monthly on the 15th', '0 7 15 * *'],
  ['quarterly', '0 7 1 1,4,7,10 *'],
  ['every year in March', '0 7 1 3 *'],
  ['every hour between 8 and 17 on working days', '0 8-17 * * 1-5'],
  ['every 15 minutes from 8:00 to 17:00', '*/15 8-16 * * *'],
  ['once a week on Tuesday at 10', '0 10 * * 2'],
  ['every morning', '0 7 * * *'],
  ['Mondays in the morning', '0 7 * * 1'],
  ['once a day at 6', '0 6 * * *'],
])('“%s” is %s', (words, cron) => {
  expect(typedCron(words)).toBe(cron)
})

// what five fields do not say is not said nearly
const NONE = [
  'every 3 days',
  'every two weeks',
  'every other day',
  'every second Monday',
  'the first Monday of every month',
  'the last day of the month',
  'twice a day',
  'every 90 minutes',
  'every',
  'days',
  'every day but Sunday',
  'every day between 8 and 17',
]

test.each(['', 'soon', 'every day at 08:00 and 16:30', 'at 25:00 every day', '61 * * * *', 'x'.repeat(500), ...NONE])('%j is none', (words) => {
  expect(typedCron(words)).toBeNull()
})

test.each(['0 7 * * 1-5', '0 7 * * *', '0 8,16 * * *', '0 6 1 * *', '*/15 * * * *', '0 7 * * 1', '0 9 * * 1,4', '0 10 * * 6,0'])(
  '%s reads in words that are read back to it',
  (cron) => {
    expect(typedCron(cronWords(cron))).toBe(cron)
  },
)
