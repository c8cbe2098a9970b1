import { createHash } from 'node:crypto'
import type { FileInfo } from '@/core/values/tables'
import { many, maybeOne, one, type Queryable, touch } from './database'
import { Refused } from './problems'
import { readSettings } from './settings'

const INFO = 'f.id, f.name, f.media_type as type, f.size'

/** Keeps a file; its content never changes from then on, and is kept once, however many files have it. @throws Refused where there is no room for it */
export async function createFile(db: Queryable, file: { name: string; type: string; content: Uint8Array }, by: number | null): Promise<FileInfo> {
  const hash = createHash('sha256').update(file.content).digest()
  if (!(await maybeOne(db, 'select from rappel.file_content where hash = $1', [hash]))) await requireRoom(db, file.content.length)
  return one<FileInfo>(
    db,
    `with kept as (insert into rappel.file_content (hash, content) values ($3, $5) on conflict do nothing)
     insert into rappel.file as f (name, media_type, hash, size, by) values ($1, $2, $3, octet_length($5), $4) returning ${INFO}`,
    [file.name, file.type, hash, by, Buffer.from(file.content)],
  )
}

/** Refuses a content that would be too much with all that is kept. @throws Refused */
async function requireRoom(db: Queryable, size: number): Promise<void> {
  const { filesTotal } = await readSettings(db)
  if (filesTotal === null) return
  const { kept } = await one<{ kept: number }>(db, 'select coalesce(sum(size), 0)::bigint as kept from rappel.file_content')
  if (kept + size > filesTotal * 1_000_000)
    throw new Refused(
      'conflict',
      `All files together may have ${filesTotal.toLocaleString('en')} MB, of which ${Math.floor(kept / 1_000_000).toLocaleString('en')} MB are used. An administrator gives them more room in Settings.`,
    )
}

/** Files without their content, by id. */
export async function readFileInfos(db: Queryable, ids: readonly number[]): Promise<Map<number, FileInfo>> {
  const rows = await many<FileInfo>(db, `select ${INFO} from rappel.file f where f.id = any($1)`, [ids])
  return new Map(rows.map((f) => [f.id, f]))
}

/** One file with its content, or null. */
export function readFile(db: Queryable, id: number): Promise<(FileInfo & { content: Buffer }) | null> {
  return maybeOne(db, `select ${INFO}, c.content from rappel.file f join rappel.file_content c on c.hash = f.hash where f.id = $1`, [id])
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
