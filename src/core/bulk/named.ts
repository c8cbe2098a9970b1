import type { Ways } from '../values/plain'

/** How a file is imported, under a name. */
export interface NamedImport {
  readonly name: string
  readonly table: string
  /** The field by which rows find the records that they change; null: each creates one. */
  readonly key: string | null
  /** The field of each heading, null where its column is left out; headings that are not named are matched by their labels. */
  readonly columns: Readonly<Record<string, string | null>>
  readonly ways: Partial<Ways>
  readonly deleteMissing: boolean
  readonly partly: boolean
  readonly quiet: boolean
}

/** What a name of an import may be made of, so that it can be a folder's: letters, digits, spaces, dots, hyphens, underscores, no dot first. */
export const IMPORT_NAME = /^[\p{L}\p{N}_-][\p{L}\p{N} ._-]{0,79}$/u
