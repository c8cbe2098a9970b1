import { one, type Queryable } from './database'

/** What time it is by the database's clock, which all processes go by, whatever the clocks of their machines say; to the millisecond. */
export const readNow = async (db: Queryable): Promise<Date> => (await one<{ at: Date }>(db, 'select clock_timestamp() as at')).at
