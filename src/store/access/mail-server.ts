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
}

/** What is kept of it sealed: the password, and the private key that mail is signed with, in PEM. */
export interface MailServerSecrets {
  readonly password: string | null
  readonly dkimKey: string | null
}

/** Where mail goes: to a server that the environment names, to the one that is set, or to the post room. */
export type MailGoesTo =
  | { readonly by: 'environment'; readonly host: string; readonly port: number }
  | (MailServerSetting & { readonly by: 'setting'; readonly hasPassword: boolean; readonly record: { readonly name: string; readonly text: string } | null })
  | { readonly by: 'post room'; readonly port: number }

type Kept = MailServerSetting & MailServerSecrets

const MARK = 'mail-server'
const readKept = (db: Queryable) => readMark(db, MARK) as Promise<Kept | null>

/** The mail server as it is set; null where none is. */
export async function readMailServer(db: Queryable): Promise<(MailServerSetting & { readonly hasPassword: boolean }) | null> {
  const kept = await readKept(db)
  if (!kept) return null
  const { password, dkimKey: _, ...setting } = kept
  return { ...setting, hasPassword: password !== null }
}

/** A secret that was sealed with another key than this installation has. */
export class SealedElsewhere extends Error {
  override readonly name = 'SealedElsewhere'
}

/** The same with its secrets. @throws SealedElsewhere */
export async function openMailServer(db: Queryable): Promise<Kept | null> {
  const kept = await readKept(db)
  if (!kept) return null
  const open = (sealed: string | null, what: string) => {
    if (sealed === null) return null
    const opened = unseal(sealed)
    if (opened === null) throw new SealedElsewhere(`The mail server’s ${what} cannot be opened with this installation’s key. Give it again in Settings; until then mail waits.`)
    return opened
  }
  return { ...kept, password: open(kept.password, 'password'), dkimKey: open(kept.dkimKey, 'signing key') }
}

/** Keeps a mail server; whoever delivers mail takes it up. Waits for nobody: mail under way goes where it was going. */
export async function writeMailServer(db: Queryable, setting: MailServerSetting, { password, dkimKey }: MailServerSecrets): Promise<void> {
  const sealed = (text: string | null) => (text === null ? null : seal(text))
  await writeMark(db, MARK, { ...setting, password: sealed(password), dkimKey: sealed(dkimKey) })
  await db.query('select rappel.next_generation()')
}

/** Forgets the mail server: mail goes to the post room again. */
export async function removeMailServer(db: Queryable): Promise<void> {
  await removeMark(db, MARK)
  await db.query('select rappel.next_generation()')
}
