import type { NamedImport } from '@/core/bulk/named'
import { many, maybeOne, type Queryable, touch } from '../database'

type Definition = Omit<NamedImport, 'name' | 'table'>

interface Row {
  readonly name: string
  readonly table: string
  readonly definition: Definition
}

const told = ({ definition, ...names }: Row): NamedImport => ({ ...names, ...definition })

/** The imports that have a name, of one table or all. */
export async function listImports(db: Queryable, table: string | null = null): Promise<NamedImport[]> {
  return (await many<Row>(db, 'select name, tbl as table, definition from rappel.import_def where $1::text is null or tbl = $1 order by name', [table])).map(told)
}

/** One of them, or null. */
export async function readImport(db: Queryable, name: string): Promise<NamedImport | null> {
  const row = await maybeOne<Row>(db, 'select name, tbl as table, definition from rappel.import_def where name = $1', [name])
  return row && told(row)
}

/** Keeps how a file is imported under a name. */
export async function putImport(db: Queryable, { name, table, ...definition }: NamedImport, by: number | null): Promise<void> {
  await touch(
    db,
    'insert into rappel.import_def (name, tbl, definition, made_by) values ($1, $2, $3, $4) on conflict (name) do update set tbl = excluded.tbl, definition = excluded.definition',
    [name, table, JSON.stringify(definition), by],
  )
}

/** Forgets it; whether there was one. */
export const removeImport = async (db: Queryable, name: string): Promise<boolean> => (await touch(db, 'delete from rappel.import_def where name = $1', [name])) > 0

/** A file that was laid into an import's folder: its name, and what tells it from another of that name. */
export interface LaidFile {
  readonly import: string
  readonly file: string
  readonly mark: string
}

/** Whether a file was taken already: its program ended before the file was put aside. */
export const wasTaken = async (db: Queryable, { import: name, file, mark }: LaidFile): Promise<boolean> =>
  (await maybeOne(db, 'select 1 from rappel.import_file where import = $1 and file = $2 and mark = $3', [name, file, mark])) !== null

/** Notes that a file was taken, in the transaction that wrote its rows, or why it was not. */
export async function noteTaken(db: Queryable, { import: name, file, mark }: LaidFile, what: { readonly bulk: number } | { readonly problem: string }): Promise<void> {
  await touch(db, 'insert into rappel.import_file (import, file, mark, bulk, problem) values ($1, $2, $3, $4, $5)', [
    name,
    file,
    mark,
    'bulk' in what ? what.bulk : null,
    'problem' in what ? what.problem.slice(0, 2_000) : null,
  ])
}

/** A file that was not taken, and why. */
export interface RefusedFile {
  readonly import: string
  readonly file: string
  readonly table: string
  readonly at: Date
  readonly problem: string
}

/** Files that were refused since a moment, the newest first. */
export const listRefusedFiles = (db: Queryable, since: Date, limit: number): Promise<RefusedFile[]> =>
  many<RefusedFile>(
    db,
    'select f.import, f.file, d.tbl as table, f.at, f.problem from rappel.import_file f join rappel.import_def d on d.name = f.import where f.problem is not null and f.at > $1 order by f.at desc limit $2',
    [since, limit],
  )
