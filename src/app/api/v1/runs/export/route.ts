import { Readable } from 'node:stream'
import { stringify } from 'csv-stringify/sync'
import { pool } from '@/app/_server/environment'
import { Problem, route } from '@/app/_server/route'
import { runsAsked } from '@/app/_server/runs'
import { keeperFor } from '@/app/_server/workflows'
import { listRuns, type RunRow } from '@/store/runs'

const PAGE = 1_000
const MOST = 200_000
const COLUMNS = ['id', 'workflow', 'version', 'table', 'record', 'title', 'state', 'why', 'error', 'messages', 'sent', 'change', 'changed_at', 'at'] as const

/** Runs as CSV (RFC 4180; texts that a spreadsheet would take for formulas are marked as texts) or as lines of JSON, filtered as the list is, newest first. */
export const GET = route('GET /api/v1/runs/export', async ({ actor, query }) => {
  const as = query.get('as') ?? 'csv'
  if (as !== 'csv' && as !== 'jsonl') throw new Problem(422, 'Not valid', 'as is csv or jsonl.')
  const asked = { ...(await runsAsked(query)), keeper: keeperFor(actor) }
  const write = as === 'csv' ? csvOf : linesOf
  const encoder = new TextEncoder()
  async function* pages() {
    let after = asked.after
    if (as === 'csv') yield encoder.encode(`${COLUMNS.join(',')}\r\n`)
    for (let given = 0; given < MOST; given += PAGE) {
      const runs = await listRuns(pool(), { ...asked, after, limit: PAGE })
      if (runs.length) yield encoder.encode(write(runs))
      if (runs.length < PAGE) return
      after = runs[runs.length - 1]?.id
    }
  }
  return new Response(Readable.toWeb(Readable.from(pages())) as ReadableStream, {
    headers: {
      'content-type': as === 'csv' ? 'text/csv; charset=utf-8; header=present' : 'application/x-ndjson',
      'content-disposition': `attachment; filename="runs.${as}"`,
    },
  })
})

function csvOf(runs: readonly RunRow[]): string {
  return stringify(
    runs.map((run) => COLUMNS.map((c) => (run[c] instanceof Date ? run[c].toISOString() : run[c]))),
    { record_delimiter: 'windows', escape_formulas: true },
  )
}

const linesOf = (runs: readonly RunRow[]) => runs.map((run) => `${JSON.stringify(Object.fromEntries(COLUMNS.map((c) => [c, run[c]])))}\n`).join('')
