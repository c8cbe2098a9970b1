import { nextTick, readCron } from '@/core/cues/cron'
import type { Workflow } from '@/core/document/document'
import { many, one, type Queryable } from './database'
import { readSettings } from './settings'
import { beginTick, moveTimetable, setTimetable, stopTimetable } from './timetables'

/** How a workflow came to be live: as a new version, and whether what fits already counts from now. */
export interface Arming {
  readonly isNew: boolean
  readonly alreadyTrue: boolean
}

/**
 * Sets what the clock does for a workflow that goes live, pauses or resumes: when its timetable comes next, and the look at what fits already. With `alreadyTrue` what fits
 * runs when the timetable comes first, or begins to wait now; else it counts as having fitted before.
 */
export async function setMoments(db: Queryable, workflow: number, version: number, state: 'live' | 'paused', at: Date, { isNew, alreadyTrue }: Arming): Promise<void> {
  await stopTimetable(db, workflow)
  if (state === 'paused') return
  const { document } = await one<{ document: Workflow }>(db, 'select document from rappel.workflow_version where workflow = $1 and version = $2', [workflow, version])
  const { cue, firing } = document
  const look = () => beginTick(db, { workflow, version, at, before_at: at, late: false, fires: false }, at)
  if (cue.kind === 'record' && cue.stays !== undefined && isNew && alreadyTrue) await look()
  if (cue.kind !== 'timetable') return
  const read = readCron(cue.cron)
  const { zone } = await readSettings(db)
  await setTimetable(db, workflow, version, at, 'cron' in read ? nextTick(read.cron, at, zone) : null)
  if (isNew && (cue.per === 'record' || cue.per === 'group') && firing !== 'every' && !alreadyTrue) await look()
  await db.query(`select pg_notify('rappel_moment', '')`)
}

/** Has the timetables that are live come by another time zone from a moment on; one whose time has come by then still takes it. */
export async function rezoneTimetables(db: Queryable, zone: string, now: Date): Promise<void> {
  const live = await many<{ workflow: number; cron: string }>(
    db,
    `select t.workflow, v.document -> 'cue' ->> 'cron' as cron from rappel.timetable t join rappel.workflow_version v on v.workflow = t.workflow and v.version = t.version
      where t.next_at > $1 order by t.workflow for update of t`,
    [now],
  )
  for (const { workflow, cron } of live) {
    const read = readCron(cron)
    await moveTimetable(db, workflow, now, 'cron' in read ? nextTick(read.cron, now, zone) : null, null)
  }
  await db.query(`select pg_notify('rappel_moment', '')`)
}
