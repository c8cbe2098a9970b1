import type { Ways } from '@/core/bulk/ways'
import type { Organisation, TableDef } from '@/core/values/tables'
import { openRows } from './files/open'
import type { FileRows } from './files/rows'
import { columnsOf, recogniseWays } from './rows-read'
import type { FileAsked } from './write'

/** What was recognised of a file: its headings with the field that each fills, its ways, and its first rows as they stand. */
export interface FileTold extends Pick<FileRows, 'kind' | 'headings' | 'recognised'> {
  readonly columns: readonly (string | null)[]
  readonly ways: Ways
  readonly first: readonly { readonly row: number; readonly cells: readonly string[] }[]
}

const SHOWN = 6
const LONGEST = 80

/** Looks into a file that is about to be imported. @throws Unreadable */
export async function lookIntoFile({ path, columns: said, ways, key }: FileAsked, table: TableDef, organisation: Organisation): Promise<FileTold> {
  const file = await openRows(path)
  const columns = columnsOf(file, table, said, key)
  const first: { row: number; cells: string[] }[] = []
  for await (const { row, cells } of file.rows()) {
    first.push({ row, cells: cells.map((c) => (c === null ? '' : typeof c === 'object' ? c.wall.toISOString().slice(0, 16).replace('T', ' ') : String(c).slice(0, LONGEST))) })
    if (first.length >= SHOWN) break
  }
  const { kind, headings, recognised } = file
  return { kind, headings, recognised, columns, ways: { ...(await recogniseWays(file, columns, table, organisation)), ...ways }, first }
}
