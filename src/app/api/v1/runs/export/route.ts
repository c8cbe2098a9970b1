import { stringify } from 'csv-stringify/sync'
import { replica } from '@/app/_server/environment'
import { inPages } from '@/app/_server/pages'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { runsAsked } from '@/app/_server/runs'
import { listRuns, type RunRow } from '@/store/runs'

const COLUMNS = ['id', 'workflow', 'version', 'table', 'record', 'title', 'state', 'why', 'error', 'messages', 'sent', 'change', 'changed_at', 'at'] as const

/** Runs as CSV (RFC 4180; texts that a spreadsheet would take for formulas are marked as texts) or as lines of JSON, filtered as the list is, newest first. */
export const GET = route('GET /api/v1/runs/export', async ({ query, keeper }) => {
  const as = query.get('as') ?? 'csv'
  if (as !== 'csv' && as !== 'jsonl') throw new Problem(422, 'Not valid', 'as is csv or jsonl.')
  const asked = { ...(await runsAsked(query)), keeper }
  const write = as === 'csv' ? csvOf : linesOf
  const pages = inPages(
    (after, limit) => replica().readNow((db) => listRuns(db, { ...asked, after: after ?? asked.after, limit })),
    write,
    as === 'csv' ? `${COLUMNS.join(',')}\r\n` : '',
  )
  return new Response(pages, {
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
