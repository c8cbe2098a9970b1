import { pool } from '@/app/_server/environment'
import { fileName, mostOfFile, typeOf } from '@/app/_server/files'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { refuseInUse } from '@/app/_server/uses'
import { transaction } from '@/store/database'
import { putLibraryFile, removeLibraryFile } from '@/store/files'

/** Puts a file into the library, for mail to attach or show; one of the same name is replaced. The body is its content. */
export const PUT = route('PUT /api/v1/library/[name]', async ({ actor, params, bytes }) => {
  const name = fileName(params.name ?? null)
  if (!name) throw new Problem(422, 'Not valid', 'The file needs a name.')
  const content = await bytes(await mostOfFile())
  if (content.length === 0) throw new Problem(422, 'Not valid', 'The file is empty.')
  const type = await typeOf(content, name)
  return transaction(pool(), (db) => putLibraryFile(db, name, { type, content }, actor.person))
})

/** Takes a file out of the library that no workflow uses. */
export const DELETE = route('DELETE /api/v1/library/[name]', async ({ params }) => {
  await refuseInUse('file', params.name)
  await transaction(pool(), (db) => removeLibraryFile(db, params.name))
  return new Response(null, { status: 204 })
})
