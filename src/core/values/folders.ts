import type { FieldDef, TableDef } from './tables'

/** A folder of documents: its name and path, how many are in it, and with those of the folders below it. */
export interface Folder {
  readonly name: string
  readonly path: string
  readonly own: number
  readonly all: number
  readonly folders: readonly Folder[]
}

/** The field that says in which folder a record's file lies; null where the table is no library of documents, which has a file field too. */
export function folderFieldOf(table: Pick<TableDef, 'fields'>): FieldDef | null {
  return table.fields.some((f) => f.type === 'file') ? (table.fields.find((f) => f.type === 'folder') ?? null) : null
}

interface Growing {
  readonly name: string
  readonly path: string
  own: number
  readonly folders: Map<string, Growing>
}

/** The folders of paths, each with how many records have it, as a tree in order of names; those that differ in letter case are one. */
export function folderTree(paths: Iterable<readonly [path: string, count: number]>): Folder[] {
  const root: Growing = { name: '', path: '', own: 0, folders: new Map() }
  for (const [path, count] of paths) {
    let at = root
    for (const name of path.split('/').filter(Boolean)) {
      const key = name.toLowerCase()
      const next = at.folders.get(key) ?? { name, path: at.path ? `${at.path}/${name}` : name, own: 0, folders: new Map() }
      at.folders.set(key, next)
      at = next
    }
    at.own += count
  }
  return [...grown(root).folders]
}

function grown({ name, path, own, folders }: Growing): Folder {
  const below = [...folders.values()].map(grown).sort((a, b) => a.name.localeCompare(b.name))
  return { name, path, own, all: below.reduce((sum, f) => sum + f.all, own), folders: below }
}
