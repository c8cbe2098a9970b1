import type { Queryable } from '../database'
import { readMark, removeMark, writeMark } from '../settings'
import { seal, unseal } from './sealed'

/** How a connection to a mail server is kept from listeners: from its first byte (RFC 8314), after STARTTLS and never without (RFC 3207), or not at all. */
export const SECURITIES = ['STARTTLS', 'TLS', 'none'] as const
export type Security = (typeof SECURITIES)[number]

/** Whom mail is signed for, and under which name its public key stands (RFC 6376 section 3.6.2.1). */
export interface DkimSetting {
  readonly domain: string
  readonly selector: string
  /** The public key that belongs there, in base64. */
  readonly publicKey: string
}

/** The organisation's mail server, as it is set, without its secrets. */
export interface MailServerSetting {
  readonly host: string
  readonly port: number
  readonly security: Security
  /** Who signs in there; null where nobody has to. */
  readonly user: string | null
  readonly dkim: DkimSetting | null
  /** The most recipients of one transaction, and the most messages in a minute; what every server takes, and any number, where they are not set. */
  readonly mostRecipients?: number | null
  readonly perMinute?: number | null
}

/** How many servers may be set: the first is the one to go by, the others are gone by where those before them cannot be reached. */
export const MOST_SERVERS = 3

/** What is kept of it sealed: the password, and the private key that mail is signed with, in PEM. */
export interface MailServerSecrets {
  readonly password: string | null
  readonly dkimKey: string | null
}

/** Where mail goes: to a server that the environment names, to the one that is set, or to the post room. */
export type MailGoesTo =
  | { readonly by: 'environment'; readonly host: string; readonly port: number }
  | (SetServer & { readonly by: 'setting'; readonly fallbacks: readonly SetServer[] })
  | { readonly by: 'post room'; readonly port: number }

/** A server that is set, and the DNS record by which its signature is trusted. */
export type SetServer = MailServerSetting & { readonly hasPassword: boolean; readonly record: { readonly name: string; readonly text: string } | null }

type Kept = MailServerSetting & MailServerSecrets

/** Where the server of a place, from 1, is kept. */
const markOf = (place: number) => (place === 1 ? 'mail-server' : `mail-server-${place}`)
const PLACES = Array.from({ length: MOST_SERVERS }, (_, i) => i + 1)
const readKept = (db: Queryable, place: number) => readMark(db, markOf(place)) as Promise<Kept | null>

/** The mail server of a place as it is set; null where none is. */
export async function readMailServer(db: Queryable, place = 1): Promise<(MailServerSetting & { readonly hasPassword: boolean }) | null> {
  const kept = await readKept(db, place)
  if (!kept) return null
  const { password, dkimKey: _, ...setting } = kept
  return { ...setting, hasPassword: password !== null }
}

/** A secret that was sealed with another key than this installation has. */
export class SealedElsewhere extends Error {
  override readonly name = 'SealedElsewhere'
}

/** The same with its secrets. @throws SealedElsewhere */
export async function openMailServer(db: Queryable, place = 1): Promise<Kept | null> {
  const kept = await readKept(db, place)
  if (!kept) return null
  const open = (sealed: string | null, what: string) => {
    if (sealed === null) return null
    const opened = unseal(sealed)
    if (opened === null) throw new SealedElsewhere(`The mail server’s ${what} cannot be opened with this installation’s key. Give it again in Settings; until then mail waits.`)
    return opened
  }
  return { ...kept, password: open(kept.password, 'password'), dkimKey: open(kept.dkimKey, 'signing key') }
}

/** All that are set, with their secrets, in the order in which they are gone by. @throws SealedElsewhere */
export async function openMailServers(db: Queryable): Promise<Kept[]> {
  const servers: Kept[] = []
  for (const place of PLACES) {
    const server = await openMailServer(db, place)
    if (server) servers.push(server)
  }
  return servers
}

/** Keeps a mail server in a place; whoever delivers mail takes it up. Waits for nobody: mail under way goes where it was going. */
export async function writeMailServer(db: Queryable, setting: MailServerSetting, { password, dkimKey }: MailServerSecrets, place = 1): Promise<void> {
  const sealed = (text: string | null) => (text === null ? null : seal(text))
  await writeMark(db, markOf(place), { ...setting, password: sealed(password), dkimKey: sealed(dkimKey) })
  await db.query('select rappel.next_generation()')
}

/** Forgets the mail server of a place; those after it step up. Without any mail goes to the post room again. */
export async function removeMailServer(db: Queryable, place = 1): Promise<void> {
  await removeMark(db, markOf(place))
  for (const later of PLACES.filter((p) => p > place)) {
    const kept = await readKept(db, later)
    if (!kept) continue
    await writeMark(db, markOf(later - 1), kept)
    await removeMark(db, markOf(later))
  }
  await db.query('select rappel.next_generation()')
}
