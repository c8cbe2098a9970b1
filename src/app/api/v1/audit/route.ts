import { auditAsked } from '@/app/_server/audit'
import { pool } from '@/app/_server/environment'
import { pageLimit } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { listAudit } from '@/store/access/audit'

/** The audit log, searched and paged, newest first. */
export const GET = route('GET /api/v1/audit', async ({ query }) => {
  const limit = pageLimit(query)
  const audit = await listAudit(pool(), { ...(await auditAsked(query)), limit })
  return { audit, next: audit.length < limit ? null : String(audit[audit.length - 1]?.id) }
})
