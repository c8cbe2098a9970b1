import { many, one, type Queryable } from '../database'

/** The schemas that are Rappel's own, and the one of its jobs. */
export const SCHEMAS = ['rappel', 'rappel_log', 'rappel_change', 'data', 'graphile_worker']

/** A schema that is there while a dump is restored (`scripts/restore.mjs`). */
const RESTORING = 'rappel_restoring'

/** What is wrong with the role that Rappel works as: `stops` where it may not do what is needed, `warnings` where it may do more than is good. */
export interface RoleFindings {
  readonly stops: readonly string[]
  readonly warnings: readonly string[]
}

/** The oldest version of PostgreSQL that Rappel works with, as its servers number themselves. */
export const OLDEST_POSTGRES = 150_000

/** What about the database keeps Rappel from being set up in it, in sentences that say how to mend it. */
export async function checkDatabase(db: Queryable): Promise<string[]> {
  const { database, version, encoding } = await one<{ database: string; version: number; encoding: string }>(
    db,
    `select quote_ident(current_database()) as database, current_setting('server_version_num')::int as version, current_setting('server_encoding') as encoding`,
  )
  const stops = [...(await checkWhole(db))]
  if (version < OLDEST_POSTGRES) stops.push(`The server is PostgreSQL ${Math.floor(version / 10_000)}, which is older than 15. Bring it to version 15 or newer.`)
  if (encoding !== 'UTF8')
    stops.push(
      `The database ${database} is encoded in ${encoding}, which has no room for every script that names and mail are written in. Give Rappel one in UTF8: create database … encoding 'UTF8' template template0;`,
    )
  return stops
}

/** Whether a restore into the database was broken off, or is under way, in a sentence: triggers, constraints and the mark that it was restored may be missing. */
export async function checkWhole(db: Queryable): Promise<string[]> {
  const { isBroken } = await one<{ isBroken: boolean }>(db, 'select to_regnamespace($1) is not null as "isBroken"', [RESTORING])
  return isBroken ? ['A restore into this database was broken off, or is under way: what it holds is not whole. Restore it again: npm run restore -- rappel-….dump --over'] : []
}

/** Looks whether the role of this connection has what Rappel needs, and no more, and says in sentences how to mend it. */
export async function checkRole(db: Queryable): Promise<RoleFindings> {
  const { role, database, isSuper, mayCreate } = await one<{ role: string; database: string; isSuper: boolean; mayCreate: boolean }>(
    db,
    `select quote_ident(current_user) as role, quote_ident(current_database()) as database, has_database_privilege(current_database(), 'create') as "mayCreate",
            (select rolsuper from pg_roles where rolname = current_user) as "isSuper"`,
  )
  const schemas = await many<{ name: string; isOwn: boolean }>(db, `select nspname as name, pg_has_role(nspowner, 'usage') as "isOwn" from pg_namespace where nspname = any($1)`, [
    SCHEMAS,
  ])
  const missing = SCHEMAS.filter((name) => !schemas.some((s) => s.name === name))
  const stops = schemas.filter((s) => !s.isOwn).map((s) => `The schema ${s.name} does not belong to the role ${role}. As its owner, run: alter schema ${s.name} owner to ${role};`)
  if (missing.length && !mayCreate)
    stops.push(`The role ${role} may not create the schemas ${missing.join(', ')} in the database ${database}. As its owner, run: grant create on database ${database} to ${role};`)
  const warnings = isSuper
    ? [`Rappel works on the database as ${role}, a superuser, which it need not be. docs/operating.md says how to give it a role that owns only its own schemas.`]
    : []
  return { stops, warnings }
}
