import type { Queryable } from '../database'
import { readMark, removeMark, writeMark } from '../settings'
import { seal, unseal } from './sealed'

/** How sign-in by OpenID Connect is set. */
export interface OpenIdSetting {
  /** Where the provider describes itself (OpenID Connect Discovery 1.0). */
  readonly issuer: string
  readonly clientId: string
  /** What stands on the sign-in page's button. */
  readonly label: string
  /** Domains whose addresses are taken from this provider. */
  readonly domains: readonly string[]
}

type Kept = OpenIdSetting & { readonly clientSecret: string }

const MARK = 'openid'
const readKept = (db: Queryable) => readMark(db, MARK) as Promise<Kept | null>

/** How sign-in by OpenID Connect is set, without its secret; null where it is not. */
export async function readOpenId(db: Queryable): Promise<OpenIdSetting | null> {
  const kept = await readKept(db)
  if (!kept) return null
  const { clientSecret: _, ...setting } = kept
  return setting
}

/** The same with its secret; null where it is not set, or the secret was sealed with another key. */
export async function openOpenId(db: Queryable): Promise<Kept | null> {
  const kept = await readKept(db)
  const clientSecret = kept && unseal(kept.clientSecret)
  return kept && clientSecret !== null ? { ...kept, clientSecret } : null
}

/** Keeps how sign-in by OpenID Connect is set; a secret that is not given stays as it was. */
export async function writeOpenId(db: Queryable, setting: OpenIdSetting, clientSecret: string | null): Promise<void> {
  const kept = await readKept(db)
  await writeMark(db, MARK, { ...setting, clientSecret: clientSecret === null ? (kept?.clientSecret ?? seal('')) : seal(clientSecret) })
}

/** Ends sign-in by OpenID Connect. */
export const removeOpenId = (db: Queryable) => removeMark(db, MARK)
