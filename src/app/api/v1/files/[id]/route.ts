import { pool } from '@/app/_server/environment'
import { fileResponse } from '@/app/_server/files'
import { wholeNumber } from '@/app/_server/reading'
import { Problem, route } from '@/app/_server/route'
import { readFile } from '@/store/files'

/** A file's content, for saving. */
export const GET = route('GET /api/v1/files/[id]', async ({ params }) => {
  const file = await readFile(pool(), wholeNumber(params.id ?? '', 'id'))
  if (!file) throw new Problem(404, 'Not found', `There is no file ${params.id}.`)
  return fileResponse(file)
})
