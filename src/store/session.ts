/**
 * What sessions are set to, whatever the server, the database or the role is set to by whoever else uses them: each of these changes what statements mean, what they answer, or
 * whether they come to an end (PostgreSQL 15, chapter 20 "Server Configuration": 20.11 "Client Connection Defaults", 20.13 "Version and Platform Compatibility").
 */
export const SESSION = {
  timezone: 'UTC',
  jit: 'off',
  // each statement sees what others committed before it, which claims, limits and switches go by
  default_transaction_isolation: 'read committed',
  default_transaction_read_only: 'off',
  default_transaction_deferrable: 'off',
  // names without a schema are PostgreSQL's own, and names of tables are written with theirs; migration 049 knows it by this
  search_path: 'pg_catalog,pg_temp',
  datestyle: 'ISO,MDY',
  intervalstyle: 'postgres',
  bytea_output: 'hex',
  extra_float_digits: '1',
  standard_conforming_strings: 'on',
  transform_null_equals: 'off',
  array_nulls: 'on',
  quote_all_identifiers: 'off',
  row_security: 'on',
  statement_timeout: '0',
  lock_timeout: '0',
  idle_in_transaction_session_timeout: '0',
  idle_session_timeout: '0',
} as const

/** What sessions are set to besides that run the same prepared statements all the time: those are planned once, whatever they are handed, for to plan them takes as long as to run them. */
export const PLANNED_ONCE = { plan_cache_mode: 'force_generic_plan' } as const

/** What sessions are set to besides in which nobody waits for an answer: a statement is one process's work, and leaves other processors to those who wait. */
export const UNHURRIED = { max_parallel_workers_per_gather: '0' } as const

/** Settings as a connection is begun with them, where a blank is written with a stroke before it (PostgreSQL, "options" in libpq's connection parameters). */
export const asOptions = (settings: Readonly<Record<string, string>>): string =>
  Object.entries(settings)
    .map(([name, value]) => `-c ${name}=${value.replaceAll(' ', '\\ ')}`)
    .join(' ')

/** Settings as those of the role itself, a statement each: for connections through a pooler, which can be set to nothing. */
export const asRoleSettings = (settings: Readonly<Record<string, string>>): string[] =>
  Object.entries(settings).map(
    ([name, value]) =>
      `alter role current_user set ${name} = ${value
        .split(',')
        .map((part) => `'${part}'`)
        .join(', ')}`,
  )

/**
 * The address as pg is to read it, without the options in it, and what those are: they are kept beside Rappel's own, which come later and so go before them. What `sslmode` asks for is what PostgreSQL's own
 * programs take it for (libpq, 34.19.1 "Client Verification of Server Certificates"): `require` encrypts and does not look who answers, unless `sslrootcert` says by what.
 */
export function withoutOptions(url: string): { readonly url: string; readonly options: string } {
  if (!/[?&](options|sslmode)=/.test(url)) return { url, options: '' }
  const at = new URL(url)
  const given = at.searchParams.get('options')
  at.searchParams.delete('options')
  if (at.searchParams.has('sslmode')) at.searchParams.set('uselibpqcompat', 'true')
  return { url: at.href, options: given === null ? '' : `${given} ` }
}
