import type { Ways } from '@/core/values/plain'
import type { Organisation, TableDef } from '@/core/values/tables'
import { openRows } from './files/open'
import { type FileRows, shownCell } from './files/rows'
import { type Columns, columnsOf, recogniseWays } from './rows-read'

/** A file about to be imported, and how. */
export interface FileAsked {
  /** Where it lies. */
  readonly path: string
  /** Fields of headings that were chosen by hand; null: none. */
  readonly columns?: Readonly<Record<string, string | null>>
  /** Ways that were chosen by hand. */
  readonly ways?: Partial<Ways>
  readonly key: string | null
  readonly deleteMissing: boolean
  readonly partly: boolean
}

/** A file that was looked into: its rows, the field that each column fills, and how it writes numbers and dates. */
export interface Opened {
  readonly file: FileRows
  readonly columns: Columns
  readonly ways: Ways
}

/** Opens a file that is about to be imported. @throws Unreadable */
export async function openImport({ path, columns: said, ways, key }: FileAsked, table: TableDef, organisation: Organisation): Promise<Opened> {
  const file = await openRows(path)
  const columns = columnsOf(file, table, said, key)
  return { file, columns, ways: { ...(await recogniseWays(file, columns, table, organisation)), ...ways } }
}

/** What was recognised of a file, and its first rows as they stand. */
export interface FileTold extends Pick<FileRows, 'kind' | 'headings' | 'recognised'>, Pick<Opened, 'columns' | 'ways'> {
  readonly first: readonly { readonly row: number; readonly cells: readonly string[] }[]
}

const SHOWN = 6

/** Tells what was recognised of a file. @throws Unreadable */
export async function tellOpened({ file, columns, ways }: Opened): Promise<FileTold> {
  const first: { row: number; cells: string[] }[] = []
  for await (const { row, cells } of file.rows()) {
    first.push({ row, cells: cells.map(shownCell) })
    if (first.length >= SHOWN) break
  }
  const { kind, headings, recognised } = file
  return { kind, headings, recognised, columns, ways, first }
}
