import * as yup from 'yup'
import { readTime } from '@/core/limits/time-of-day'
import { isAddress } from '@/core/recipients/address'
import { isLocale } from '@/core/values/format'
import { MOST_FILE_MB } from '@/store/settings'
import { SHARDS } from '@/store/shards'
import { domains, isIssuer } from '../shape'
import { body } from './body'

const text = (most = 120) => yup.string().strict().trim().min(1).max(most)
const isTime = (given: string | undefined) => given === undefined || readTime(given) !== null

const quietHours = () =>
  yup
    .object({
      from: text().required().test('time', '${path} is no time of day; write it such as 22:00', isTime),
      to: text().required().test('time', '${path} is no time of day; write it such as 07:00', isTime),
      days: yup.array(yup.number().strict().integer().min(1).max(7).required()).strict().min(1),
    })
    .noUnknown()
    .strict()
    .nullable()
    .default(undefined)

/** Bodies of calls that change settings. */
export const SETTINGS_BODIES = {
  'PUT /api/v1/settings': body(
    yup
      .object({
        name: text(),
        locale: text().test('locale', '${path} is not a language tag such as en-GB (BCP 47)', (v) => v === undefined || isLocale(v)),
        zone: text(),
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
        keepRunMonths: yup.number().strict().integer().min(1).max(240),
        keepTextMonths: yup.number().strict().integer().min(1).max(240),
        idleMinutes: yup.number().strict().integer().min(5).max(20_160),
        fileSize: yup.number().strict().integer().min(1).max(MOST_FILE_MB),
        filesTotal: yup.number().strict().integer().min(1).max(100_000_000).nullable(),
        mailPerDay: yup.number().strict().integer().min(1).max(100_000_000).nullable(),
        mailPerHour: yup.number().strict().integer().min(1).max(100_000_000).nullable(),
        quietHours: quietHours(),
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
      .strict(),
    'The settings were not saved.',
    { whyDays: 30, fileSize: 10 },
  ),
  'PUT /api/v1/settings/openid': body(
    yup
      .object({
        issuer: text(300)
          .required()
          .test('issuer', '${path} is no address of a provider, such as https://login.office.example', (v) => isIssuer(v ?? '')),
        clientId: text(300).required(),
        clientSecret: yup.string().strict().max(1_000),
        label: text(60).required(),
        domains: domains().min(1).max(50).required(),
      })
      .noUnknown()
      .strict(),
    'Sign-in by OpenID Connect was not set.',
    null,
  ),
  'POST /api/v1/settings/wake': body(
    yup
      .object({ waiting: yup.string().strict().oneOf(['send', 'call off']).required() })
      .noUnknown()
      .strict(),
    'The installation was not woken.',
    { waiting: 'call off' },
  ),
  'PUT /api/v1/settings/told': body(
    yup
      .object({ channel: yup.string().strict().max(200).nullable().defined() })
      .noUnknown()
      .strict(),
    'The channel that is told was not changed.',
    { channel: null },
  ),
  'PUT /api/v1/settings/shards': body(
    yup
      .object({ shards: yup.number().strict().oneOf(SHARDS).required() })
      .noUnknown()
      .strict(),
    'The number of shards was not changed.',
    { shards: 64 },
  ),
  'POST /api/v1/settings/mail-server/try': body(
    yup
      .object({ server: yup.object().nullable().default(null), to: yup.string().strict().max(320) })
      .noUnknown()
      .strict(),
    'No mail was sent.',
    { to: 'samples@office.example' },
  ),
} as const
