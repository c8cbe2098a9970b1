import { type FileHandle, mkdir, open, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { JsonLines, written } from './json-lines'

/** A message as it arrived. */
export interface Arrival {
  readonly id: number
  readonly at: string
  readonly envelope: { readonly from: string; readonly to: readonly string[] }
  readonly subject: string
}

interface Entry extends Arrival {
  readonly offset: number
  readonly length: number
}

/**
 * Keeps every message that arrived, for ever: sources end to end in one file, and an index of one JSON line a message.
 * The source is written before its line, so a line that is there has its source but for a power cut; then the message is not there.
 */
export class MailStore {
  private entries: Entry[] = []
  private end = 0
  private writing: Promise<unknown> = Promise.resolve()

  private constructor(
    private readonly folder: string,
    private sources: FileHandle,
    private index: JsonLines<Entry>,
  ) {}

  /** Opens the store in a folder, which is made if it is not there. */
  static async open(folder: string): Promise<MailStore> {
    await mkdir(folder, { recursive: true })
    const sources = await open(join(folder, 'sources'), 'a+')
    const { lines, documents } = await JsonLines.open<Entry>(join(folder, 'index.jsonl'))
    const store = new MailStore(folder, sources, lines)
    store.end = (await sources.stat()).size
    store.entries = documents.filter((entry) => entry.offset + entry.length <= store.end) // what a power cut took is not there
    return store
  }

  /** Keeps a message; answers once it is written. */
  add(source: Buffer, arrival: Omit<Arrival, 'id'>): Promise<Arrival> {
    const kept = this.writing.then(async () => {
      const entry: Entry = { id: (this.entries[this.entries.length - 1]?.id ?? 0) + 1, ...arrival, offset: this.end, length: source.length }
      this.end = await written(this.sources, source, this.end)
      await this.index.add(entry)
      this.entries.push(entry)
      return entry
    })
    this.writing = kept.catch(() => undefined)
    return kept
  }

  /** Messages after an id, in order of arrival; with `to`, those whose envelope names that address; at most `limit`, the newest if `newest`. */
  list(query: { to?: string; after?: number; limit?: number; newest?: boolean }): Arrival[] {
    const to = query.to?.toLowerCase()
    const found = this.entries.filter((e) => e.id > (query.after ?? 0) && (!to || e.envelope.to.some((a) => a.toLowerCase() === to)))
    const limit = query.limit ?? found.length
    return query.newest ? found.slice(-limit).reverse() : found.slice(0, limit)
  }

  /** One message, or null. */
  find(id: number): Arrival | null {
    return this.entry(id) ?? null
  }

  /** The RFC 5322 source of a message that is there. */
  async source(id: number): Promise<Buffer> {
    const entry = this.entry(id)
    if (!entry) throw new Error(`There is no message ${id}.`)
    const buffer = Buffer.alloc(entry.length)
    await this.sources.read(buffer, 0, entry.length, entry.offset)
    return buffer
  }

  /** Every address that was written to, with how many messages it has and when the last came. */
  mailboxes(): { address: string; messages: number; last: string }[] {
    const boxes = new Map<string, { address: string; messages: number; last: string }>()
    for (const entry of this.entries)
      for (const address of entry.envelope.to) {
        const key = address.toLowerCase()
        boxes.set(key, { address: key, messages: (boxes.get(key)?.messages ?? 0) + 1, last: entry.at })
      }
    return [...boxes.values()].sort((a, b) => (a.last < b.last ? 1 : -1))
  }

  /** Throws everything away. */
  async clear(): Promise<void> {
    await this.writing
    await this.close()
    await Promise.all(['sources', 'index.jsonl'].map((name) => rm(join(this.folder, name), { force: true })))
    this.sources = await open(join(this.folder, 'sources'), 'a+')
    this.index = (await JsonLines.open<Entry>(join(this.folder, 'index.jsonl'))).lines
    this.entries = []
    this.end = 0
  }

  /** Writes what is under way and closes the files. */
  async close(): Promise<void> {
    await this.writing
    await this.sources.close()
    await this.index.close()
  }

  private entry(id: number): Entry | undefined {
    const first = this.entries[0]?.id ?? 1
    const there = this.entries[id - first] // where none is missing
    return there?.id === id ? there : this.entries.find((entry) => entry.id === id)
  }
}
