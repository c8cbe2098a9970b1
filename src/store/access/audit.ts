import type { ChangedBy } from '@/core/changes/change'
import { many, type Queryable } from '../database'

/** Notes in the audit log what is no change of the database: who signed in, failed to, or signed out. Changes note themselves. */
export async function noteDeed(db: Queryable, { by, caller, what, subject }: { by: ChangedBy; caller: string | null; what: string; subject: string }): Promise<void> {
  await db.query('insert into rappel.audit (by, caller, what, subject, details) values ($1, $2, $3, left($4, 300), $5)', [JSON.stringify(by), caller, what, subject, '{}'])
}

/** A line of the audit log. */
export interface AuditRow {
  readonly id: number
  readonly at: Date
  readonly by: ChangedBy
  readonly caller: string | null
  readonly what: string
  readonly subject: string
  /** What changed, field by field. */
  readonly details: Readonly<Record<string, unknown>>
}

/** What the audit log is searched by; `after` is the id of the last line seen, newest first. */
export interface AuditQuery {
  /** A part of who, what, about whom or what, or from where. */
  readonly text?: string
  readonly what?: string
  /** A day as `YYYY-MM-DD`, in the organisation's zone: lines from it on, and up to it. */
  readonly from?: string
  readonly to?: string
  readonly zone: string
  readonly after?: number
  readonly limit: number
}

/** The audit log, newest first. */
export function listAudit(db: Queryable, { text, what, from, to, zone, after, limit }: AuditQuery): Promise<AuditRow[]> {
  return many<AuditRow>(
    db,
    `select id, at, by, caller, what, subject, details from rappel.audit
      where ($1::text is null or position(rappel.folded($1) in rappel.folded(concat_ws(' ', by ->> 'name', what, subject, caller, details::text))) > 0) and ($2::text is null or what = $2)
        and ($3::date is null or at >= ($3::date)::timestamp at time zone $5) and ($4::date is null or at < ($4::date + 1)::timestamp at time zone $5)
        and ($6::bigint is null or id < $6)
      order by id desc limit $7`,
    [text ?? null, what ?? null, from ?? null, to ?? null, zone, after ?? null, limit],
  )
}

/** Everything that the audit log has lines about, such as `person changed`. */
export async function listDeeds(db: Queryable): Promise<string[]> {
  return (
    await many<{ what: string }>(
      db,
      `with recursive deeds as (
         (select min(what) as what from rappel.audit) union all
         select (select min(a.what) from rappel.audit a where a.what > d.what) from deeds d where d.what is not null)
       select what from deeds where what is not null`,
    )
  ).map((r) => r.what)
}
