import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { listImports } from '@/store/bulk/imports'

/** The imports that have a name, of one `table` or all. */
export const GET = route('GET /api/v1/imports', async ({ query }) => ({ imports: await listImports(pool(), query.get('table')) }))
