import { fileOf, flagOf, quietOf } from '@/app/_server/bulk'
import { fileName } from '@/app/_server/files'
import { importUpload } from '@/app/_server/import-upload'
import { tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'

/** Imports a file as one transaction. It can be watched line by line, and is called off, with nothing written, when the caller goes away. */
export const POST = route('POST /api/v1/records/[table]/import', async ({ actor, params, query, request, inTurn }) => {
  const { table } = await tableOf(params.table)
  const quiet = quietOf(actor, flagOf(query, 'quiet'))
  const asked = fileOf(table, query) // what is wrong with the question is told before the file is sent
  return importUpload({ actor, request, inTurn }, table, asked, { name: fileName(query.get('name')) || 'a file', quiet })
})
