import { pool } from '@/app/_server/environment'
import { mayReadFile } from '@/app/_server/file-access'
import { fileResponse } from '@/app/_server/files'
import { Problem } from '@/app/_server/problem'
import { wholeNumber } from '@/app/_server/reading'
import { route } from '@/app/_server/route'
import { readFile } from '@/store/files'

/** A file's content, for saving; members have those that something points at which they may read. */
export const GET = route('GET /api/v1/files/[id]', async ({ actor, params }) => {
  const id = wholeNumber(params.id, 'id')
  const file = (await mayReadFile(actor, id)) ? await readFile(pool(), id) : null
  if (!file) throw new Problem(404, 'Not found', `There is no file ${params.id}.`)
  return fileResponse(file)
})
