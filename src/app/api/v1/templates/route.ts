import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { listTemplates } from '@/store/templates'

export const GET = route('GET /api/v1/templates', async () => ({ templates: await listTemplates(pool()) }))
