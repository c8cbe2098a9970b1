import { pool } from '@/app/_server/environment'
import { Problem } from '@/app/_server/problem'
import { wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { listMessages } from '@/store/messages'
import { listNotices } from '@/store/notice-log'
import { readTitles } from '@/store/records'
import { readRun } from '@/store/runs'
import { readSchema } from '@/store/tables'

/** One run: its trace, the titles of what its record points at, its messages, and its notices. */
export const GET = route('GET /api/v1/runs/[id]', async ({ actor, params, keeper }) => {
  const id = wholeNumber(params.id, 'id')
  const run = await readRun(pool(), id, keeper)
  if (!run) throw new Problem(404, 'Not found', `There is no run ${id}.`)
  const schema = await readSchema(pool())
  const table = schema.get(run.table)
  const { before = null, after = null } = run.trace.change ?? {}
  const titles = table ? await readTitles(pool(), schema, table, [before ?? {}, after ?? {}]) : []
  const [messages, notices] = await Promise.all([listMessages(pool(), { run: id, limit: 1_000 }), listNotices(pool(), { runs: [id], me: actor.person, limit: 1_000 })])
  return { ...run, titles: Object.fromEntries(titles), messages, notices }
})
