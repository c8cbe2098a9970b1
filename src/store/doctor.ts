import { one, type Queryable } from './database'

/** What a doctor asks the database. */
export interface Vitals {
  /** PostgreSQL's version as a number: 150006 for 15.6. */
  readonly version: number
  /** The newest migration that was done. */
  readonly migration: number
  /** By how many milliseconds the database's clock is ahead of the one that asks. */
  readonly ahead: number
  /** The first month for which nothing is ready to take changes. */
  readonly readyUntil: string
  readonly preparedTransactions: number
  /** Settings of the server that let a crash take what was committed. */
  readonly undurable: readonly string[]
  readonly connections: number
  readonly mostConnections: number
  /** Bytes of the database. */
  readonly size: number
  /** Seconds for which the oldest transaction of all has been open. */
  readonly oldestTransaction: number | null
}

/** How the database stands. */
export async function readVitals(db: Queryable): Promise<Vitals> {
  const began = Date.now()
  const { at, ...row } = await one<Omit<Vitals, 'ahead'> & { at: Date }>(
    db,
    `select current_setting('server_version_num')::int as version, (select max(number) from rappel.migration)::int as migration, clock_timestamp() as at,
            coalesce((select to_char(min(m), 'YYYY-MM') from generate_series(date_trunc('month', now()), now() + interval '24 months', interval '1 month') m
                       where to_regclass('rappel.change_' || to_char(m, 'YYYY_MM')) is null), 'years ahead') as "readyUntil",
            current_setting('max_prepared_transactions')::int as "preparedTransactions",
            (select coalesce(json_agg(name order by name), '[]') from unnest('{fsync,full_page_writes,synchronous_commit}'::text[]) name where current_setting(name) = 'off') as undurable, (select count(*) from pg_stat_activity)::int as connections,
            current_setting('max_connections')::int as "mostConnections", pg_database_size(current_database()) as size,
            (select extract(epoch from now() - min(xact_start))::float from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()) as "oldestTransaction"`,
  )
  return { ...row, ahead: at.getTime() - (began + Date.now()) / 2 }
}
