import type { Pool } from 'pg'
import { many } from '@/store/database'
import { quantile } from '../bench/measure'
import { isUndisturbed, type Processor } from './processor'

/** Something that took so many milliseconds. */
interface Timed {
  readonly ms: number
}

/** What was saved in the first minute tells of programs that were only being loaded. */
const WARMING_MS = 60_000

/**
 * How long it took from a save to the mail server's acceptance, in sentences, of all mail that nothing holds back: not of changes whose transactions stayed open, nor of jobs that had to stay so
 * first, nor of what limits held. Once of all, and once of what was saved while the host let the machine be, the first minute aside.
 */
export async function latencyLines(pool: Pool, processor: Processor): Promise<string[]> {
  const found = await many<{ saved: number; ms: number }>(
    pool,
    `select extract(epoch from m.changed_at)::float * 1000 as saved, min(a.at) - extract(epoch from m.changed_at)::float * 1000 as ms
       from soak.arrival a join rappel.message m on m.message_id = a.id join rappel.run r on r.id = m.run
      where a.code is null and m.held_for is null and r.kind = 'change'
        and not exists (select 1 from soak.line l where l.tbl = 'jobs' and l.rec = (r.rec #>> '{}')::bigint and l.late)
      group by m.id`,
  )
  const began = found.reduce((least, { saved }) => Math.min(least, saved), Infinity)
  const undisturbed = found.filter(({ saved }) => saved >= began + WARMING_MS && isUndisturbed(processor, saved))
  return [
    `Save to acceptance of ${found.length.toLocaleString('en')} messages meanwhile: ${told(found)}.`,
    ...(undisturbed.length
      ? [`Of the ${undisturbed.length.toLocaleString('en')} that were saved after the first minute while the host gave next to nothing to others: ${told(undisturbed)}.`]
      : []),
  ]
}

function told(found: readonly Timed[]): string {
  const [half, most] = sharesOf(found, 0.5, 0.99)
  return `median ${half} ms, 99 in 100 within ${most} ms`
}

/** Within how many milliseconds these shares of what was timed were done; a dash where nothing was. */
export const sharesOf = (timed: readonly Timed[], ...shares: number[]): string[] => {
  const all = timed.map(({ ms }) => ms)
  return shares.map((share) => (all.length ? quantile(all, share).toFixed(0) : '–'))
}
