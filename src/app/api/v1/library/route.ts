import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { listLibrary } from '@/store/files'

export const GET = route('GET /api/v1/library', async () => ({ files: await listLibrary(pool()) }))
