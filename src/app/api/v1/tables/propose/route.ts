import { pool } from '@/app/_server/environment'
import { fileName } from '@/app/_server/files'
import { route } from '@/app/_server/route'
import { keepUpload } from '@/app/_server/uploads'
import { proposeFrom } from '@/engine/bulk/propose'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'

/** Proposes a table for a file (CSV, XLSX, lines of JSON), whose first row holds the headings, from all of its rows. Nothing is made. */
export const POST = route('POST /api/v1/tables/propose', async ({ query, request, inTurn }) => {
  const [schema, organisation] = await Promise.all([readSchema(pool()), readSettings(pool())])
  const { path, drop } = await keepUpload(request)
  const label = (fileName(query.get('name')) || 'Records').replace(/\.[a-z]{2,5}$/i, '').replaceAll(/[_-]+/g, ' ')
  return inTurn(() => proposeFrom(pool(), path, label.charAt(0).toUpperCase() + label.slice(1), schema, organisation, request.signal)).finally(drop)
})
