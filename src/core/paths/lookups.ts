import type { Condition } from '../document/condition'
import type { FileInfo, Image, RecordId } from '../values/tables'

/** A named set of people and of addresses outside. */
export interface Group {
  readonly people: readonly Image[]
  readonly addresses: readonly string[]
}

/** Data that an evaluation found it had to read. */
export type Need =
  | { readonly kind: 'record'; readonly table: string; readonly id: RecordId }
  | { readonly kind: 'group'; readonly name: string }
  | { readonly kind: 'team'; readonly name: string }
  | { readonly kind: 'suppression'; readonly address: string }
  | { readonly kind: 'file'; readonly id: number }
  | ListNeed
  | FreshNeed

/** The records of a table that point at one record, or that meet a condition; `where` has no paths but the entry's own. */
export interface ListNeed {
  readonly kind: 'list'
  readonly table: string
  readonly link?: { readonly field: string; readonly id: RecordId }
  readonly where?: Condition
  /** Field name, `-` before it for descending. */
  readonly order?: string
  readonly limit?: number
  /** The moment that the condition's days and spans are counted from, where it has any (ISO 8601). */
  readonly at?: string
}

/** Stands in loaded data for what could not be read, with the reason; whoever asks for it fails with that. */
export class LookupFault {
  constructor(readonly message: string) {}
}

/** The id and automatic numbers of a record that a run is about to create; `key` tells it from all others. */
export interface FreshNeed {
  readonly kind: 'fresh'
  readonly table: string
  readonly key: string
}

/** What an evaluation may read besides the change itself. It never waits: what is not loaded is noted as needed and reads as absent. */
export interface Lookups {
  record(table: string, id: RecordId): Image | null
  group(name: string): Group | null
  team(name: string): readonly Image[]
  list(need: Omit<ListNeed, 'kind'>): readonly Image[]
  fresh(table: string, key: string): Image
  /** What a file is called and how large it is; null where there is none. */
  file(id: number): FileInfo | null
  /** Whether mail to the address is suppressed after a hard bounce. */
  suppressed(address: string): boolean
  /** Whether anything was asked for that is not loaded; what was worked out since is then to be thrown away. */
  lacking(): boolean
}

/** The key of a need, the same for equal needs. */
export function needKey(need: Need): string {
  switch (need.kind) {
    case 'record':
      return `record ${need.table} ${need.id}`
    case 'list':
      return `list ${JSON.stringify([need.table, need.link, need.where, need.order, need.limit, need.at])}`
    case 'fresh':
      return `fresh ${need.table} ${need.key}`
    case 'file':
      return `file ${need.id}`
    case 'suppression':
      return `suppression ${need.address}`
    default:
      return `${need.kind} ${need.name}`
  }
}

/** What each kind of need is answered with. */
interface Answers {
  record: Image | null
  group: Group | null
  team: readonly Image[]
  list: readonly Image[]
  fresh: Image
  file: FileInfo | null
  suppression: boolean
}

/** Loaded data by the keys of needs. */
export type Loaded = Pick<ReadonlyMap<string, unknown>, 'has' | 'get'>

/**
 * Look-ups over loaded data that keep a list of what was asked for and is missing.
 * An evaluation is pure: it is run, and while it lacks something, the lack is loaded (for many evaluations at once) and it is run again.
 */
export class LoadedLookups implements Lookups {
  private readonly missing = new Map<string, Need>()

  constructor(private readonly loaded: Loaded) {}

  record(table: string, id: RecordId): Image | null {
    return this.find({ kind: 'record', table, id }) ?? null
  }

  group(name: string): Group | null {
    return this.find({ kind: 'group', name }) ?? null
  }

  team(name: string): readonly Image[] {
    return this.find({ kind: 'team', name }) ?? []
  }

  list(need: Omit<ListNeed, 'kind'>): readonly Image[] {
    return this.find({ kind: 'list', ...need }) ?? []
  }

  fresh(table: string, key: string): Image {
    return this.find({ kind: 'fresh', table, key }) ?? {}
  }

  file(id: number): FileInfo | null {
    return this.find({ kind: 'file', id }) ?? null
  }

  suppressed(address: string): boolean {
    return this.find({ kind: 'suppression', address: address.toLowerCase() }) ?? false
  }

  lacking(): boolean {
    return this.missing.size > 0
  }

  /** What was asked for and is not loaded. */
  needs(): readonly Need[] {
    return [...this.missing.values()]
  }

  private find<K extends Need['kind']>(need: Extract<Need, { kind: K }>): Answers[K] | undefined {
    const key = needKey(need)
    if (this.loaded.has(key)) {
      const found = this.loaded.get(key)
      if (found instanceof LookupFault) throw new Error(found.message)
      return found as Answers[K] // loaded for a need of this kind
    }
    this.missing.set(key, need)
    return undefined
  }
}
