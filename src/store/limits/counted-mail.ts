/** What waits for a digest, of a message `m` with its recipient `r`. */
const WAITS_FOR_DIGEST = `(m.state = 'held' and m.held_for = 'digest')`

/** What tells one mail to an address from another, of a message `m` with its recipient `r`: what went in one digest counts once, and so does all of a workflow that waits for the next. */
export const MAIL = `coalesce(r.digest, case when ${WAITS_FOR_DIGEST} then 0 else m.id end)`

/** Whether a message `m` comes to its recipient `r` as a mail of its own, not in a digest. */
const COMES_ALONE = `(r.digest is null and not ${WAITS_FOR_DIGEST})`

/** Whether an address had a mail of its own about the same record within the hour before. */
export const AGAIN = `${COMES_ALONE} and m.rec is not null
  and m.created_at - lag(m.created_at) over (partition by rappel.folded(r.address), ${COMES_ALONE}, m.tbl, m.rec order by m.created_at, m.id) <= interval '1 hour'`

/** Whether an address got a message `m` as its recipient `r`, or is going to. */
export const IS_GOT = `m.state <> 'cancelled' and r.state <> 'failed'`
