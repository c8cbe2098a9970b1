import { many, type Queryable, touch } from '../database'
import type { Role } from '../people'

/** An API token as it is listed; the token itself was shown once and is not kept. */
export interface TokenRow {
  readonly id: number
  readonly name: string
  readonly role: Role
  /** Whom it acts as: an e-mail, or nobody in particular. */
  readonly person: string | null
  readonly created_at: Date
  readonly last_used_at: Date | null
}

/** The tokens that are valid, newest first. */
export function listTokens(db: Queryable): Promise<TokenRow[]> {
  return many<TokenRow>(
    db,
    `select t.id, t.name, t.role, p.email as person, t.created_at, t.last_used_at from rappel.api_token t left join rappel.person p on p.id = t.person
      where t.revoked_at is null order by t.id desc`,
  )
}

/** Ends a token; whether it was valid. */
export async function revokeToken(db: Queryable, id: number): Promise<boolean> {
  return (await touch(db, 'update rappel.api_token set revoked_at = now() where id = $1 and revoked_at is null', [id])) === 1
}
