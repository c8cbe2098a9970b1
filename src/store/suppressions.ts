import { many, type Queryable, touch } from './database'

/** An address that mail is no longer sent to, why, and since when. */
export interface Suppression {
  readonly address: string
  readonly reason: string
  readonly at: Date
}

/** The addresses that are suppressed, by address, those after one where it is given. */
export function listSuppressions(db: Queryable, limit: number, after: string | null = null): Promise<Suppression[]> {
  return many<Suppression>(db, 'select address, reason, at from rappel.suppression where $2::text is null or address > $2 order by address limit $1', [limit, after])
}

/** Lets mail go to an address again; whether it was suppressed. */
export async function liftSuppression(db: Queryable, address: string): Promise<boolean> {
  return (await touch(db, 'delete from rappel.suppression where address = rappel.folded($1)', [address])) === 1
}

/** Notes addresses that bounced for good. */
export async function suppressAddresses(db: Queryable, addresses: readonly { address: string; reason: string }[]): Promise<void> {
  for (const { address, reason } of addresses)
    await touch(db, 'insert into rappel.suppression (address, reason) values (rappel.folded($1), $2) on conflict do nothing', [address, reason])
}
