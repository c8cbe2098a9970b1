import { pool } from '@/app/_server/environment'
import { fileName, mostOfFile, typeOf } from '@/app/_server/files'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { createFile } from '@/store/files'

/** Keeps a file, whose id a record's file field can then hold: the body is its content, `name` its name. */
export const POST = route('POST /api/v1/files', async ({ actor, query, bytes }) => {
  const name = fileName(query.get('name'))
  if (!name) throw new Problem(422, 'Not valid', 'Give the file’s name: POST /api/v1/files?name=letter.pdf, with its content as the body.')
  const content = await bytes(await mostOfFile())
  if (content.length === 0) throw new Problem(422, 'Not valid', 'The file is empty.')
  return Response.json(await createFile(pool(), { name, type: await typeOf(content, name), content }, actor.person), { status: 201 })
})
