import * as yup from 'yup'
import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { domains, shaped } from '@/app/_server/shape'
import { digestProblem } from '@/core/limits/digest-mail'
import { createEngines } from '@/core/message/render'
import { isAddress } from '@/core/recipients/address'
import { transaction } from '@/store/database'
import { readSettings, writeSettings } from '@/store/settings'

const text = () => yup.string().strict().trim().min(1).max(120)

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
    mailPerDay: yup.number().strict().integer().min(1).max(100_000_000).nullable(),
    mailPerHour: yup.number().strict().integer().min(1).max(100_000_000).nullable(),
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
      'Give at least one of name, locale, zone, currency, sender, sendingDomains, whyFooter, whyDays, keepMonths, idleMinutes, mailPerDay, mailPerHour and digestWords.',
    )
  const problem = given.digestWords ? digestProblem(given.digestWords, createEngines(await readSettings(pool()))) : null
  if (problem) throw new Problem(422, 'Not valid', `The words of digests do not go: ${problem}`, { problems: [{ code: 'wrong words', path: '/digestWords', message: problem }] })
  await transaction(pool(), (db) => writeSettings(db, given))
  return readSettings(pool())
})
