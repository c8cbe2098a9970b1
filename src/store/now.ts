import { one, type Queryable } from './database'

/** What time it is by the database's clock, which all processes go by, whatever the clocks of their machines say; to the millisecond. */
export async function readNow(db: Queryable): Promise<Date> {
  return new Date((await one<{ at: number }>(db, `select floor(extract(epoch from clock_timestamp()) * 1000)::float8 as at`)).at)
}
