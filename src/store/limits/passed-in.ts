import { one, type Queryable, touch } from '../database'

/** Takes the count of an hour for this transaction, and answers it with that of the time since a moment. */
export async function takePassedIn(db: Queryable, hour: Date, since: Date): Promise<{ hour: number; day: number }> {
  const { passed } = await one<{ passed: number }>(
    db,
    'insert into rappel.passed_in as p (hour, passed) values ($1, 0) on conflict (hour) do update set passed = p.passed returning passed',
    [hour],
  )
  const { day } = await one<{ day: number }>(db, 'select coalesce(sum(passed), 0)::int as day from rappel.passed_in where hour >= $1', [since])
  return { hour: passed, day }
}

/** Notes how many mails have passed in an hour. */
export async function notePassedIn(db: Queryable, hour: Date, passed: number): Promise<void> {
  await touch(db, 'update rappel.passed_in set passed = $2 where hour = $1', [hour, passed])
}
