import * as yup from 'yup'
import { pointerOf } from '@/core/document/schema'
import { isAddress } from '@/core/recipients/address'
import type { RecordId } from '@/core/values/tables'
import { Problem } from './problem'

/** A list of domains, such as `office.example`. */
export const domains = () =>
  yup
    .array(
      yup
        .string()
        .strict()
        .required()
        .test('domain', '${path} is not a domain such as office.example', (v) => isAddress(`someone@${v}`)),
    )
    .strict()

/** An address that something can be posted to. */
export const webAddress = () =>
  yup
    .string()
    .strict()
    .test(
      'address',
      '${path} is no address that can be posted to, such as https://board.example/quays',
      (v) => v === undefined || (URL.canParse(v) && ['http:', 'https:'].includes(new URL(v).protocol)),
    )

/** What calls are signed with: at least 12 characters. */
export const secret = () => yup.string().strict().min(12)

const isLoopback = (issuer: URL) => ['127.0.0.1', 'localhost', '[::1]'].includes(issuer.hostname)

/** Whether a text is an issuer that may be used: https, or http on this machine. */
export function isIssuer(text: string): boolean {
  if (!URL.canParse(text)) return false
  const url = new URL(text)
  return url.protocol === 'https:' || (url.protocol === 'http:' && isLoopback(url))
}

/** The id of a record, whatever its table's key is. */
export const idShape = () =>
  yup.mixed<RecordId>((value): value is RecordId => Number.isSafeInteger(value) || (typeof value === 'string' && value !== '')).typeError('${path} is the id of a record')

/** Reads a body against a Yup schema. @throws Problem 422 with every breach, each with its JSON Pointer */
export function shaped<T>(schema: yup.Schema<T>, input: unknown, refusal: string): T {
  try {
    return schema.validateSync(input, { abortEarly: false, strict: true })
  } catch (error) {
    if (!(error instanceof yup.ValidationError)) throw error
    const inner = error.inner.length ? error.inner : [error]
    throw new Problem(422, 'Not valid', refusal, { problems: inner.map((e) => ({ code: 'wrong shape', path: pointerOf(e.path), message: `${e.message}.` })) })
  }
}
