import * as yup from 'yup'
import { must } from '@/core/must'
import { type DkimKey, dkimRecord, makeDkimKey, readDkimKey } from '@/engine/delivery/dkim'
import { type MailServer, serverOf, serversOf } from '@/engine/delivery/server'
import {
  type MailGoesTo,
  type MailServerSecrets,
  type MailServerSetting,
  MOST_SERVERS,
  openMailServer,
  readMailServer,
  SECURITIES,
  type SetServer,
} from '@/store/access/mail-server'
import type { Queryable } from '@/store/database'
import { Problem } from './problem'
import { shaped } from './shape'

const postRoomPort = () => Number(process.env.RAPPEL_SMTP_PORT ?? 4172)
const fixedUrl = () => process.env.RAPPEL_SMTP_URL

/** Where mail goes now. */
export async function mailGoesTo(db: Queryable): Promise<MailGoesTo> {
  const fixed = fixedUrl()
  if (fixed) {
    const { host, port } = must(serversOf(fixed)[0])
    return { by: 'environment', host, port }
  }
  const set: SetServer[] = []
  for (let place = 1; place <= MOST_SERVERS; place++) {
    const server = await readMailServer(db, place)
    if (server) set.push({ ...server, record: server.dkim && dkimRecord(server.dkim) })
  }
  const [first, ...fallbacks] = set
  return first ? { by: 'setting', ...first, fallbacks } : { by: 'post room', port: postRoomPort() }
}

/** The place among the servers that a call is about: 1 for the one that is gone by first. @throws Problem 422 */
export async function placeOf(db: Queryable, query: URLSearchParams): Promise<number> {
  const place = Number(query.get('place') ?? 1)
  if (!Number.isInteger(place) || place < 1 || place > MOST_SERVERS) throw new Problem(422, 'Not valid', `place is a whole number from 1 to ${MOST_SERVERS}.`)
  if (place > 1 && !(await readMailServer(db, place - 1)))
    throw new Problem(422, 'Not valid', `Set the server of place ${place - 1} first: this one is for when it cannot be reached.`)
  return place
}

const text = () => yup.string().strict().trim().min(1).max(300)
const HOST = /^[a-z0-9]([a-z0-9.:-]*[a-z0-9])?$/i

const serverSchema = yup
  .object({
    host: text()
      .required()
      .test('host', '${path} is no host name such as mail.office.example', (v) => HOST.test(v ?? '')),
    port: yup.number().strict().integer().min(1).max(65_535).required(),
    security: yup
      .string()
      .strict()
      .oneOf([...SECURITIES])
      .required(),
    user: text().nullable().default(null),
    password: yup.string().strict().max(1_000),
    mostRecipients: yup.number().strict().integer().min(1).max(1_000).nullable().default(null),
    perMinute: yup.number().strict().integer().min(1).max(1_000_000).nullable().default(null),
    dkim: yup
      .object({
        domain: text()
          .required()
          .test('domain', '${path} is no domain such as office.example', (v) => HOST.test(v ?? '')),
        selector: text()
          .required()
          .matches(/^[a-z0-9][a-z0-9.-]*$/i, '${path} is made of letters, digits, dots and hyphens'),
        key: yup.string().strict().max(20_000),
      })
      .noUnknown()
      .strict()
      .nullable()
      .default(null),
  })
  .noUnknown()
  .strict()

/** A mail server as somebody gives it; secrets that are left out are those that are kept for it. @throws Problem 422 */
export async function givenServer(db: Queryable, body: unknown, place = 1): Promise<MailServer & { readonly setting: MailServerSetting; readonly secrets: MailServerSecrets }> {
  const { password, dkim, host, port, security, user, mostRecipients, perMinute } = shaped(serverSchema, body, 'The mail server was not set.')
  const kept = await openMailServer(db, place).catch(() => null)
  const isSameUser = kept !== null && kept.host === host && kept.user === user
  const key = dkim && (await keyOf(dkim.key, kept?.dkim?.domain === dkim.domain && kept.dkim.selector === dkim.selector ? kept.dkimKey : null))
  const secrets = { password: user === null ? null : (password ?? (isSameUser ? kept.password : null)), dkimKey: key?.privateKey ?? null }
  const setting = {
    host,
    port,
    security,
    user,
    mostRecipients,
    perMinute,
    dkim: dkim && key ? { domain: dkim.domain.toLowerCase(), selector: dkim.selector, publicKey: key.publicKey } : null,
  }
  return { ...setting, ...secrets, setting, secrets }
}

/** The key that is given, else the one that is kept, else a new one. @throws Problem 422 where what is given is none */
async function keyOf(given: string | undefined, kept: string | null): Promise<DkimKey> {
  const pem = given?.trim() || kept
  if (pem === null) return makeDkimKey()
  const read = readDkimKey(pem)
  if ('problem' in read) throw new Problem(422, 'Not valid', read.problem, { problems: [{ code: 'no key', path: '/dkim/key', message: read.problem }] })
  return read
}

/** The server that mail goes to now, with its secrets. */
export async function serverNow(db: Queryable): Promise<MailServer> {
  const fixed = fixedUrl()
  return fixed ? must(serversOf(fixed)[0]) : ((await openMailServer(db)) ?? serverOf(`smtp://127.0.0.1:${postRoomPort()}`))
}

/** Refuses what would have no effect. @throws Problem 409 where the environment names the server */
export function refuseFixed(): void {
  if (fixedUrl()) throw new Problem(409, 'Set elsewhere', 'RAPPEL_SMTP_URL names the mail server. Take it out of the environment and start Rappel again to set the server here.')
}
