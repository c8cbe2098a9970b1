import { many, type Queryable, touch } from './database'

/** What a process did and how it fared since its sample before; times in milliseconds, memory in bytes, ages in seconds. */
export interface Sample {
  readonly handled: number
  readonly runs: number
  readonly sent: number
  readonly deferred: number
  readonly failed: number
  /** From the save to the mail server's acceptance, of what was sent since; null where nothing was. */
  readonly half: number | null
  readonly most: number | null
  /** The longest that the process did not come round to anything. */
  readonly loop: number
  readonly memory: number
  /** Calls that waited for a connection to the database. */
  readonly waiting: number
  readonly backlog: number | null
  readonly oldestChange: number | null
  readonly oldestMessage: number | null
}

/** Keeps what a process measures. */
export async function keepMeter(db: Queryable, process: string, part: string, metrics: unknown, sample: Sample): Promise<void> {
  await touch(
    db,
    `with kept as (insert into rappel.meter (process, at, metrics) values ($1, now(), $2) on conflict (process) do update set at = excluded.at, metrics = excluded.metrics)
     insert into rappel.sample (at, process, part, data) values (now(), $1, $3, $4)`,
    [process, JSON.stringify(metrics), part, JSON.stringify(sample)],
  )
}

/** What the processes that are there measured last. */
export async function readMeters(db: Queryable): Promise<unknown[][]> {
  return (await many<{ metrics: unknown[] }>(db, `select metrics from rappel.meter where at > now() - interval '1 minute' order by process`)).map((r) => r.metrics)
}

/** Forgets samples that are over. */
export const forgetSamples = (db: Queryable): Promise<number> =>
  touch(db, `with gone as (delete from rappel.meter where at < now() - interval '1 day') delete from rappel.sample where at < now() - interval '3 days'`)

/** What all processes together did over some minutes. */
export interface Moment {
  readonly at: Date
  readonly handled: number
  readonly runs: number
  readonly sent: number
  readonly failed: number
  readonly half: number | null
  readonly most: number | null
  readonly loop: number | null
  readonly memory: number | null
  readonly backlog: number | null
  readonly oldestChange: number | null
  readonly oldestMessage: number | null
  readonly processes: number
}

/** The samples of some hours, gathered by so many minutes, oldest first. */
export function readMoments(db: Queryable, hours: number, minutes: number): Promise<Moment[]> {
  const sum = (name: string) => `coalesce(sum((data ->> '${name}')::float), 0)::int as ${name}`
  const max = (name: string) => `max((data ->> '${name}')::float) as "${name}"`
  return many<Moment>(
    db,
    `select date_bin(make_interval(mins => $2), at, '2000-01-01') as at, ${['handled', 'runs', 'sent', 'failed'].map(sum).join(', ')},
            percentile_cont(0.5) within group (order by (data ->> 'half')::float) as half, ${['most', 'loop', 'memory', 'backlog', 'oldestChange', 'oldestMessage'].map(max).join(', ')},
            count(distinct process)::int as processes
       from rappel.sample where at > now() - make_interval(hours => $1) group by 1 order by 1`,
    [hours, minutes],
  )
}
