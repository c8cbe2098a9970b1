import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { countBacklog } from '@/store/changes'
import { readMailState } from '@/store/mail-state'
import { countWorkers } from '@/store/workers'

export const GET = route('GET /api/v1/health', async () => {
  const [workers, mail, backlog] = await Promise.all([countWorkers(pool()), readMailState(pool()), countBacklog(pool())])
  const isMailWell = mail.ok !== false
  return { ok: workers > 0 && isMailWell, database: true, worker: workers > 0, mail: isMailWell, backlog }
})
