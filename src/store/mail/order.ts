import { type Queryable, touchPrepared } from '../database'

/**
 * Mail about one record to one recipient leaves in the order in which it was queued: what comes later stands behind the latest before it that is not done with and has an open
 * recipient in common. Done with, it lets who stands behind it step up: behind the next one before, or to be claimed.
 */
const BEFORE = `(select p.id from rappel.message p where p.tbl = m.tbl and p.rec = m.rec and p.id < m.id and p.state in ('queued', 'sending')
    and exists (select from rappel.message_recipient a join rappel.message_recipient b on rappel.folded(b.address) = rappel.folded(a.address) where a.message = m.id and b.message = p.id and b.state = 'open')
  order by p.id desc limit 1)`

/** Puts messages that were just queued behind those before them. */
export async function putBehind(db: Queryable, messages: readonly { readonly message_id: string; readonly rec: unknown }[]): Promise<void> {
  const about = messages.flatMap((m) => (m.rec === null ? [] : [m.message_id]))
  if (about.length === 0) return
  await touchPrepared(
    db,
    'put behind',
    `update rappel.message q set behind = b.id from (
       select m.id as later, ${BEFORE} as id from jsonb_array_elements_text($1::jsonb) g (mid) cross join lateral (select * from rappel.message x where x.message_id = g.mid offset 0) m) b
      where q.id = b.later and b.id is not null`,
    [JSON.stringify(about)],
  )
}

/** Lets step up what stands behind messages that are done with; how many did. What may be claimed is due from now on, so that it is found among what became due just now. */
export function releaseBehind(db: Queryable, messages: readonly number[], now: Date): Promise<number> {
  return touchPrepared(db, 'release behind', `update rappel.message m set behind = ${BEFORE}, next_at = greatest(m.next_at, $2) where m.behind = any($1::bigint[])`, [
    messages,
    now,
  ])
}

/** The same for all that stand behind something done with, whoever forgot them: a message queued at the moment at which the one before it was done, a message called off or deleted. */
export function releaseForgotten(db: Queryable): Promise<number> {
  return touchPrepared(
    db,
    'release forgotten',
    `update rappel.message m set behind = ${BEFORE} where m.behind is not null and m.state = 'queued'
        and not exists (select from rappel.message p where p.id = m.behind and p.state in ('queued', 'sending'))`,
    [],
  )
}
