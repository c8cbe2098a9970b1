import { pool, replica } from '@/app/_server/environment'
import { askedRecord, pageLimit, tableOf, wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { listChanges } from '@/store/changes'
import { readSchema } from '@/store/tables'

export const GET = route('GET /api/v1/changes', async ({ query }) => {
  const name = query.get('table')
  const schema = name === null ? await readSchema(pool()) : (await tableOf(name)).schema
  const limit = pageLimit(query)
  const asked = { ...(name === null ? {} : { table: name }), record: await askedRecord(query), after: wholeNumber(query.get('after'), 'after', 0), limit }
  return replica().read(async (db, behind) => {
    const { changes, next } = await listChanges(db, schema, asked)
    return { changes, next: next === null ? null : String(next), behind }
  })
})
