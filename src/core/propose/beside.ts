import type { Group, Lookups } from '../paths/lookups'
import type { Image, RecordId } from '../values/tables'

/** The records that a change links to, as they stood, and nothing else: what conditions on past changes are tested with, many times over. */
export class Beside implements Lookups {
  private readonly tables = new Map<string, Map<RecordId, Image | null>>()

  constructor(records: Iterable<readonly [table: string, id: RecordId, image: Image | null]>) {
    for (const [table, id, image] of records) {
      const known = this.tables.get(table)
      if (known) known.set(id, image)
      else this.tables.set(table, new Map([[id, image]]))
    }
  }

  record(table: string, id: RecordId): Image | null {
    return this.tables.get(table)?.get(id) ?? null
  }

  group(): Group | null {
    return null
  }

  team(): readonly Image[] {
    return []
  }

  list(): readonly Image[] {
    return []
  }

  fresh(): Image {
    return {}
  }

  file(): null {
    return null
  }

  suppressed(): boolean {
    return false
  }

  lacking(): boolean {
    return false
  }
}
