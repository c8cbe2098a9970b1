import { bulkOf, fileOf } from '@/app/_server/bulk'
import { apart } from '@/app/_server/environment'
import { tableOf } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { streamed } from '@/app/_server/streamed'
import { keepUpload } from '@/app/_server/uploads'
import type { Bulk } from '@/engine/bulk/write'

/** What a mass edit, a mass deletion or a file would write and set off. Nothing is kept or sent. */
export const POST = route('POST /api/v1/records/[table]/forecast', async ({ actor, params, query, request, json, inTurn }) => {
  const { table } = await tableOf(params.table)
  const told = (bulk: Bulk, drop?: () => Promise<void>) =>
    streamed(request, (progress) =>
      inTurn(() => apart().run('forecast', { bulk, by: actor.by }, { signal: request.signal, progress }))
        .then(({ refused, refusals, ...rest }) => ({ ...rest, refused: refusals, refusedCount: refused }))
        .finally(drop),
    )
  if (request.headers.get('content-type')?.includes('application/json')) return told(await bulkOf(actor, table, await json()))
  const asked = fileOf(table, query) // what is wrong with the question is told before the file is sent
  const { path, drop } = await keepUpload(request)
  return told({ kind: 'import', table: table.name, path, ...asked }, drop)
})
