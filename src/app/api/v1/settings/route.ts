import * as yup from 'yup'
import { pool } from '@/app/_server/environment'
import { MOST_FILE_MB } from '@/app/_server/files'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { domains, shaped } from '@/app/_server/shape'
import { digestProblem } from '@/core/limits/digest-mail'
import { readTime } from '@/core/limits/time-of-day'
import { createEngines } from '@/core/message/render'
import { isAddress } from '@/core/recipients/address'
import { transaction } from '@/store/database'
import { readSettings, writeSettings } from '@/store/settings'

const text = () => yup.string().strict().trim().min(1).max(120)

const isTime = (text: string | undefined) => text === undefined || readTime(text) !== null

const quietSchema = yup
  .object({
    from: text().required().test('time', '${path} is no time of day; write it such as 22:00', isTime),
    to: text().required().test('time', '${path} is no time of day; write it such as 07:00', isTime),
    days: yup.array(yup.number().strict().integer().min(1).max(7).required()).strict().min(1),
  })
  .noUnknown()
  .strict()
  .nullable()
  .default(undefined)

const settingsSchema = yup
  .object({
    name: text(),
    locale: text().test('locale', '${path} is not a language tag such as en-GB (BCP 47)', (v) => v === undefined || isLocale(v)),
    zone: text().test('zone', '${path} is not a time zone such as Europe/London', (v) => v === undefined || Intl.supportedValuesOf('timeZone').includes(v) || v === 'UTC'),
    currency: text().test('currency', '${path} is not a currency code such as GBP (ISO 4217)', (v) => v === undefined || Intl.supportedValuesOf('currency').includes(v)),
    sender: yup
      .object({
        name: text().required(),
        address: text()
          .required()
          .test('address', '${path} is not an e-mail address', (v) => isAddress(v ?? '')),
      })
      .noUnknown()
      .strict()
      .default(undefined),
    sendingDomains: domains(),
    whyFooter: yup.boolean().strict(),
    whyDays: yup.number().strict().integer().min(0).max(3_650),
    keepMonths: yup.number().strict().integer().min(3).max(240),
    idleMinutes: yup.number().strict().integer().min(5).max(20_160),
    fileSize: yup.number().strict().integer().min(1).max(MOST_FILE_MB),
    filesTotal: yup.number().strict().integer().min(1).max(100_000_000).nullable(),
    mailPerDay: yup.number().strict().integer().min(1).max(100_000_000).nullable(),
    mailPerHour: yup.number().strict().integer().min(1).max(100_000_000).nullable(),
    quietHours: quietSchema,
    digestAt: yup
      .array(yup.string().strict().required().test('time', '${path} is no time of day; write it such as 08:00', isTime))
      .strict()
      .min(1)
      .max(24)
      .nullable()
      .default(undefined),
    digestWords: yup
      .object({ subject: yup.string().strict().required().max(2_000), body: yup.string().strict().required().max(200_000) })
      .noUnknown()
      .strict()
      .nullable()
      .default(undefined),
  })
  .noUnknown()
  .strict()

function isLocale(tag: string): boolean {
  try {
    return Intl.NumberFormat.supportedLocalesOf(tag).length === 1
  } catch {
    return false
  }
}

export const GET = route('GET /api/v1/settings', () => readSettings(pool()))

/** Changes the settings that are given; the others stay. */
export const PUT = route('PUT /api/v1/settings', async ({ json }) => {
  const given = shaped(settingsSchema, await json(), 'The settings were not saved.')
  if (Object.keys(given).length === 0)
    throw new Problem(
      422,
      'Not valid',
      'Give at least one of name, locale, zone, currency, sender, sendingDomains, whyFooter, whyDays, keepMonths, idleMinutes, mailPerDay, mailPerHour, quietHours, digestAt and digestWords.',
    )
  const problem = given.digestWords ? digestProblem(given.digestWords, createEngines(await readSettings(pool()))) : null
  if (problem) throw new Problem(422, 'Not valid', `The words of digests do not go: ${problem}`, { problems: [{ code: 'wrong words', path: '/digestWords', message: problem }] })
  await transaction(pool(), (db) => writeSettings(db, given))
  return readSettings(pool())
})
