import { fileOf, flagOf, quietOf } from '@/app/_server/bulk'
import { pool } from '@/app/_server/environment'
import { fileName } from '@/app/_server/files'
import { Problem } from '@/app/_server/problem'
import { settingOf, tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { streamed } from '@/app/_server/streamed'
import { keepUpload } from '@/app/_server/uploads'
import { isRowsRefused } from '@/engine/bulk/import'
import { doBulk } from '@/engine/bulk/write'

/** Imports a file as one transaction. It can be watched line by line, and is called off, with nothing written, when the caller goes away. */
export const POST = route('POST /api/v1/records/[table]/import', async ({ actor, params, query, request, inTurn }) => {
  const { table, schema } = await tableOf(params.table)
  const quiet = quietOf(actor, flagOf(query, 'quiet'))
  const asked = fileOf(table, query) // what is wrong with the question is told before the file is sent
  const name = fileName(query.get('name')) || 'a file'
  const options = { setting: await settingOf(schema), signal: request.signal }
  const { path, drop } = await keepUpload(request)
  return streamed(request, (progress) =>
    inTurn(() => doBulk(pool(), { kind: 'import', table: table.name, path, ...asked }, { by: actor.by, name, quiet }, { ...options, progress }))
      .then(({ refused: count, refusals, ...rest }) => ({ ...rest, refused: refusals, refusedCount: count }))
      .catch((error: unknown) => {
        if (!isRowsRefused(error)) throw error
        throw new Problem(422, 'Not valid', `Nothing was imported: ${error.message} Mend them, or take the others alone.`, { refused: error.refusals, refusedCount: error.count })
      })
      .finally(drop),
  )
})
