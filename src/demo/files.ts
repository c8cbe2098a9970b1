import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { Queryable } from '@/store/database'
import { createFile, putLibraryFile } from '@/store/files'

const ASSETS = join(process.cwd(), 'src/demo/assets')

/** Puts the demo's files where mail finds them: a crest and the conditions of carriage in the library, a certificate for records; answers the certificate's id. */
export async function loadFiles(db: Queryable): Promise<number> {
  const read = (name: string) => readFile(join(ASSETS, name))
  await putLibraryFile(db, 'crest.png', { type: 'image/png', content: await read('crest.png') }, null)
  await putLibraryFile(db, 'Conditions of carriage.pdf', { type: 'application/pdf', content: await read('conditions-of-carriage.pdf') }, null)
  const { id } = await createFile(db, { name: 'certificate.pdf', type: 'application/pdf', content: await read('certificate.pdf') }, null)
  return id
}
