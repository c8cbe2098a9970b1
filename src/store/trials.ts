import type { Pool } from 'pg'
import type { ChangedBy } from '@/core/changes/change'
import type { Workflow } from '@/core/document/document'
import type { RecordId } from '@/core/values/tables'
import { holdOffWorkers } from './changes'
import { many, maybeOne, one, type Queryable, touch, transaction } from './database'
import { keyJson } from './keys'
import { Refused } from './problems'
import { requireSame } from './workflows'

/** A draft armed for real, for one record or for one's own changes. */
export interface Trial {
  readonly id: number
  readonly workflow: number
  readonly name: string
  readonly document: Workflow
  readonly record: RecordId | null
  readonly by: ChangedBy
  readonly person: number
  /** The person's own address and name, where all its mail goes. */
  readonly address: string
  readonly person_name: string
  readonly from: string
  readonly from_at: Date
  readonly until_at: Date
  /** Whether it is armed still, as of when it was read. */
  readonly armed: boolean
}

const SELECT = `select t.id, t.workflow, w.name, t.document, t.record, t.by, t.person, p.email as address, p.name as person_name, t.from_snapshot::text as from, t.from_at, t.until_at, t.ended_at is null and t.until_at > clock_timestamp() as armed
  from rappel.trial t join rappel.workflow w on w.id = t.workflow join rappel.person p on p.id = t.person`

/** Arms a workflow's draft from this moment on; a trial of it that the same person has running ends. `minutes` is at most 60. */
export async function armTrial(pool: Pool, name: string, trial: { record: RecordId | null; by: ChangedBy; person: number; minutes: number; checked?: Date }): Promise<Trial> {
  return transaction(pool, async (db) => {
    await holdOffWorkers(db)
    const row = await maybeOne<{ id: number; draft: Workflow }>(db, 'select id, draft from rappel.workflow where name = $1 for update', [name])
    if (!row) throw new Refused('not found', `There is no workflow called ${JSON.stringify(name)}.`)
    if (trial.checked) await requireSame(db, row.id, trial.checked)
    await touch(db, 'update rappel.trial set ended_at = now() where workflow = $1 and person = $2 and ended_at is null', [row.id, trial.person])
    const { id } = await one<{ id: number }>(
      db,
      `insert into rappel.trial (workflow, document, record, by, person, from_snapshot, from_at, until_at)
       values ($1, $2, $3, $4, $5, rappel.snapshot(), now(), now() + make_interval(mins => $6)) returning id`,
      [row.id, JSON.stringify(row.draft), trial.record === null ? null : keyJson(trial.record), JSON.stringify(trial.by), trial.person, trial.minutes],
    )
    await db.query('select rappel.next_generation()')
    return one<Trial>(db, `${SELECT} where t.id = $1`, [id])
  })
}

/** Ends the trials of a workflow, those of one person only when one is given; how many ran. */
export async function endTrials(pool: Pool, name: string, person: number | null): Promise<number> {
  return transaction(pool, async (db) => {
    await holdOffWorkers(db)
    const count = await touch(
      db,
      `update rappel.trial t set ended_at = now() from rappel.workflow w
        where w.id = t.workflow and w.name = $1 and ($2::bigint is null or t.person = $2) and t.ended_at is null and t.until_at > now()`,
      [name, person],
    )
    await db.query('select rappel.next_generation()')
    return count
  })
}

/** The trials that changes still to be handled can belong to. */
export function readArmedTrials(db: Queryable): Promise<Trial[]> {
  return many<Trial>(db, `${SELECT} where t.ended_at is null and (t.until_at > now() or exists (select from rappel.queue)) order by t.id`)
}

/** The newest trial of a workflow that a person armed, or null. */
export function latestTrial(db: Queryable, name: string, person: number): Promise<Trial | null> {
  return maybeOne<Trial>(db, `${SELECT} where w.name = $1 and t.person = $2 order by t.id desc limit 1`, [name, person])
}

/** One trial, or null. */
export function readTrial(db: Queryable, id: number): Promise<Trial | null> {
  return maybeOne<Trial>(db, `${SELECT} where t.id = $1`, [id])
}
