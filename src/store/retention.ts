import { type Queryable, touch } from './database'

/** Rows that are let go of in one statement, so that none holds others up for long. */
const AT_ONCE = 2_000

/** Says again and again what lets go of some, until nothing is left; how many there were. */
async function untilNone(some: () => Promise<number>): Promise<number> {
  for (let all = 0; ; ) {
    const count = await some()
    all += count
    if (count < AT_ONCE) return all
  }
}

/** Lets go of runs that are over for so many months, with their mail and notices; what still waits keeps its run. How many runs. */
export async function dropOldRuns(db: Queryable, months: number): Promise<number> {
  const runs = await untilNone(() =>
    touch(
      db,
      `delete from rappel.run where id in (
         select r.id from rappel.run r where r.at < now() - make_interval(months => $1) and r.state <> 'waiting'
            and not exists (select from rappel.message m where m.run = r.id and m.state in ('queued', 'sending', 'held')) order by r.at limit ${AT_ONCE})`,
      [months],
    ),
  )
  await untilNone(() =>
    touch(
      db,
      `delete from rappel.message where id in (
         select m.id from rappel.message m where m.run is null and m.created_at < now() - make_interval(months => $1) and m.state in ('sent', 'failed', 'cancelled') limit ${AT_ONCE})`,
      [months],
    ),
  )
  return runs
}

/** What brings runs about and is over: waits, moments of timetables, presses and crossings of figures; when each was over. */
const OCCASIONS = [
  ['stay', 'ended_at'],
  ['tick', 'done_at'],
  ['press', 'at'],
  ['crossing', 'at'],
] as const

/** Lets go of occasions that are over for so many months, as runs are; waits that are open stay. How many. */
export async function dropOldOccasions(db: Queryable, months: number): Promise<number> {
  let all = 0
  for (const [table, over] of OCCASIONS)
    all += await untilNone(() =>
      touch(
        db,
        `delete from rappel.${table} where id in (select o.id from rappel.${table} o where o.${over} < now() - make_interval(months => $1) order by o.${over} limit ${AT_ONCE})`,
        [months],
      ),
    )
  return all
}

/** Lets go of the texts of messages that are over for so many months, and of what they carried; that they were sent, to whom and when stays. How many. */
export function dropOldTexts(db: Queryable, months: number): Promise<number> {
  return untilNone(() =>
    touch(
      db,
      `update rappel.message set html = '', body = '', attachments = null, digest_row = null, emptied_at = now() where id in (
         select m.id from rappel.message m where m.emptied_at is null and m.created_at < now() - make_interval(months => $1)
            and m.state in ('sent', 'failed', 'cancelled', 'gathered') order by m.created_at limit ${AT_ONCE})`,
      [months],
    ),
  )
}

/** Lets go of the contents of files that no file has any more. How many. */
export const dropUnusedContents = (db: Queryable): Promise<number> =>
  untilNone(() =>
    touch(
      db,
      `delete from rappel.file_content where hash in (select c.hash from rappel.file_content c where not exists (select from rappel.file f where f.hash = c.hash) limit ${AT_ONCE})`,
    ),
  )
