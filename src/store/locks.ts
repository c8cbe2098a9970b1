/**
 * Numbers of PostgreSQL's advisory locks, each one for one thing: those with one number, and those with a second that says of what. Migrations write theirs out: 4174 (who
 * takes the last administrator's role away), 4181 (writers, for their transaction) 4184 with a table (whoever makes its capture anew).
 */
export const LOCKS = {
  /** With a worker's id: it gives a sign of life. */
  alive: 4170,
  /** With a shard: whoever handles its changes. */
  shard: 4171,
  /** Shared by whoever decides about changes, taken by who switches versions. */
  switch: 4172,
  /** With a person: whoever makes links to their account. */
  accountLinks: 4175,
  /** The worker that sleeps; writers try it, shared. */
  sleep: 4181,
  /** The one worker at a time that sleeps on that. */
  watchman: 4182,
  /** Whoever moves changes that were recorded as images into their logs. */
  move: 4183,
  /** With what it does: the one worker at a time that does it. */
  leader: 4186,
  /** With words: calls that wait for others about the same. */
  calls: 4185,
} as const
