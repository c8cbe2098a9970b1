import { auditAsked } from '@/app/_server/audit'
import { pool } from '@/app/_server/environment'
import { inPages } from '@/app/_server/pages'
import { route } from '@/app/_server/route'
import { listAudit } from '@/store/access/audit'

/** The audit log as lines of JSON, searched as the list is, newest first. */
export const GET = route('GET /api/v1/audit/export', async ({ query }) => {
  const asked = await auditAsked(query)
  const body = inPages(
    (after, limit) => listAudit(pool(), { ...asked, after: after ?? asked.after, limit }),
    (lines) => lines.map((line) => `${JSON.stringify(line)}\n`).join(''),
  )
  return new Response(body, { headers: { 'content-type': 'application/x-ndjson', 'content-disposition': 'attachment; filename="audit.jsonl"' } })
})
