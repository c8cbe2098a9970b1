import type { FileInfo } from '@/core/values/tables'
import { many, maybeOne, one, type Queryable, touch } from './database'
import { Refused } from './problems'

const INFO = 'f.id, f.name, f.media_type as type, f.size'

/** Keeps a file; its content never changes from then on. */
export function createFile(db: Queryable, file: { name: string; type: string; content: Uint8Array }, by: number | null): Promise<FileInfo> {
  return one<FileInfo>(db, `insert into rappel.file as f (name, media_type, content, by) values ($1, $2, $3, $4) returning ${INFO}`, [
    file.name,
    file.type,
    Buffer.from(file.content),
    by,
  ])
}

/** Files without their content, by id. */
export async function readFileInfos(db: Queryable, ids: readonly number[]): Promise<Map<number, FileInfo>> {
  const rows = await many<FileInfo>(db, `select ${INFO} from rappel.file f where f.id = any($1)`, [ids])
  return new Map(rows.map((f) => [f.id, f]))
}

/** One file with its content, or null. */
export function readFile(db: Queryable, id: number): Promise<(FileInfo & { content: Buffer }) | null> {
  return maybeOne(db, `select ${INFO}, f.content from rappel.file f where f.id = $1`, [id])
}

/** A file of the library. */
export interface LibraryFile extends FileInfo {
  readonly updated_at: Date
}

/** The library's files; each goes by the name it has there. */
export function listLibrary(db: Queryable): Promise<LibraryFile[]> {
  return many<LibraryFile>(db, 'select f.id, l.name, f.media_type as type, f.size, l.updated_at from rappel.library_file l join rappel.file f on f.id = l.file order by l.name')
}

/** Puts a file into the library under a name, in the place of what had the name; mail queued before keeps what it had. */
export async function putLibraryFile(db: Queryable, name: string, file: { type: string; content: Uint8Array }, by: number | null): Promise<FileInfo> {
  const kept = await createFile(db, { name, ...file }, by)
  await touch(db, 'insert into rappel.library_file (name, file) values ($1, $2) on conflict (name) do update set file = $2, updated_at = now()', [name, kept.id])
  await db.query('select rappel.next_generation()')
  return kept
}

/** Takes a file out of the library. @throws Refused where there is none of the name */
export async function removeLibraryFile(db: Queryable, name: string): Promise<void> {
  if ((await touch(db, 'delete from rappel.library_file where name = $1', [name])) === 0) throw new Refused('not found', `There is no file ${JSON.stringify(name)} in the library.`)
  await db.query('select rappel.next_generation()')
}
