import { Logger as JobLogger, run } from 'graphile-worker'
import type { Logger } from 'pino'
import { LINK_DAYS } from '@/core/message/file-links'
import { purgeAccountLinks } from '@/store/access/account-links'
import { purgeSessions } from '@/store/access/sessions'
import { forgetAnswered } from '@/store/answered'
import { forgetOldAttempts } from '@/store/attempts'
import { dropOldChanges, ensurePartitions } from '@/store/changes'
import { createSessionPool, transactionOn } from '@/store/database'
import { forgetPassed } from '@/store/limits/passed'
import { inMoments } from '@/store/lock-moments'
import { forgetTraces } from '@/store/log'
import { forgetSamples } from '@/store/meters'
import { dropOldOccasions, dropOldRuns, dropOldTexts, dropUnusedContents } from '@/store/retention'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'
import { dropUnusedFiles } from '@/store/unused-files'
import type { Figures } from './figures/figures'

/** How long it is remembered what passed a workflow's limits; few are longer. */
const REMEMBERED_MS = 400 * 86_400_000

/** How long a call's own key is remembered. */
const ANSWERED_MS = 2 * 86_400_000

/** How long it is remembered in which trace a transaction wrote. */
const TRACED_MS = 7 * 86_400_000

/** What is done by the clock, in POSIX cron lines read in UTC. */
const CRONTAB = `
5 3 * * * ensure_partitions
15 3 * * * keep_hours
25 3 * * * drop_old_changes
30 3 * * * drop_old_runs
45 3 * * * check_figures
15 * * * * purge_sessions
`

/** Starts the jobs that keep the house; answers how to stop them. */
export async function startHousekeeping(databaseUrl: string, log: Logger, figures: Pick<Figures, 'check' | 'keepHours'>): Promise<() => Promise<void>> {
  const pgPool = createSessionPool(databaseUrl, { max: 2, name: 'rappel housekeeping' })
  const runner = await run({
    pgPool,
    schema: 'graphile_worker',
    concurrency: 1,
    noHandleSignals: true,
    pollInterval: 10_000,
    crontab: CRONTAB,
    logger: new JobLogger(() => (level, message) => (level === 'error' ? log.error(message) : log.debug(message))),
    taskList: {
      ensure_partitions: async (_payload, { withPgClient }) => withPgClient((db) => inMoments(db, () => ensurePartitions(db))),
      drop_old_changes: async (_payload, { withPgClient }) =>
        withPgClient(async (db) => {
          const { keepMonths } = await readSettings(db)
          const dropped = await inMoments(db, () => dropOldChanges(db, keepMonths))
          if (dropped.length) log.info({ dropped }, 'months of the change log were dropped')
        }),
      drop_old_runs: async (_payload, { withPgClient }) =>
        withPgClient(async (db) => {
          const { keepRunMonths, keepTextMonths } = await readSettings(db)
          const [texts, runs] = [await dropOldTexts(db, keepTextMonths), await dropOldRuns(db, keepRunMonths)]
          const occasions = await dropOldOccasions(db, keepRunMonths)
          const files = await transactionOn(db, async () => dropUnusedFiles(db, await readSchema(db), LINK_DAYS + 1))
          const contents = await dropUnusedContents(db)
          if (texts + runs + occasions + files + contents > 0)
            log.info({ texts, runs, occasions, files, contents }, 'runs, what brought them about, texts of mail and files that nothing speaks of were let go of')
        }),
      keep_hours: () => figures.keepHours(),
      check_figures: async () => {
        for (const mended of await figures.check()) log.warn(mended, 'a figure was not what its table said and was put right')
      },
      purge_sessions: async (_payload, { withPgClient }) => {
        await withPgClient(async (db) => {
          await purgeSessions(db)
          await purgeAccountLinks(db)
          await forgetAnswered(db, new Date(Date.now() - ANSWERED_MS))
          await forgetSamples(db)
          await forgetTraces(db, new Date(Date.now() - TRACED_MS))
          await forgetOldAttempts(db)
          await forgetPassed(db, new Date(Date.now() - REMEMBERED_MS))
        })
      },
    },
  })
  runner.promise.catch((error) => log.error({ error: String(error) }, 'housekeeping stopped'))
  return async () => {
    await runner.stop().catch(() => undefined)
    await pgPool.end().catch(() => undefined)
  }
}
