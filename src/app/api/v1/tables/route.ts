import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { readSchema } from '@/store/tables'

export const GET = route('GET /api/v1/tables', async () => ({
  tables: [...(await readSchema(pool())).values()].filter((t) => t.name !== 'person').map(({ figures: _, ...table }) => table),
}))
