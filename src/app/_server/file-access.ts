import type { Image, TableDef } from '@/core/values/tables'
import { mayMemberReadFile } from '@/store/access/files'
import { readSchema } from '@/store/tables'
import type { Actor } from './actor'
import { pool } from './environment'
import { Problem } from './problem'

/** Whether somebody may read a file. */
export async function mayReadFile(actor: Actor, file: number): Promise<boolean> {
  return actor.role !== 'member' || mayMemberReadFile(pool(), await readSchema(pool()), file, actor)
}

/** Refuses to let somebody point at a file that they may not read, and so come to read it. @throws Problem 422 */
export async function requireOwnFiles(actor: Actor, table: TableDef, image: Image): Promise<void> {
  for (const { name, type, label } of table.fields) {
    const file = type === 'file' ? image[name] : null
    if (typeof file !== 'number' || (await mayReadFile(actor, file))) continue
    throw new Problem(422, 'Not valid', `There is no file ${file}.`, {
      problems: [{ code: 'unknown file', path: `/${name}`, message: `${label}: there is no file ${file}. Upload one first.` }],
    })
  }
}
