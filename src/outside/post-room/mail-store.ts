import { type FileHandle, mkdir, open, readFile, rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'

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
 * The source is written before its line, so a line that is there has its source; a torn last line is passed over.
 */
export class MailStore {
  private entries: Entry[] = []
  private end = 0
  private writing: Promise<unknown> = Promise.resolve()

  private constructor(
    private readonly folder: string,
    private sources: FileHandle,
    private index: FileHandle,
  ) {}

  /** Opens the store in a folder, which is made if it is not there. */
  static async open(folder: string): Promise<MailStore> {
    await mkdir(folder, { recursive: true })
    const store = new MailStore(folder, await open(join(folder, 'sources'), 'a+'), await open(join(folder, 'index.jsonl'), 'a+'))
    await store.load()
    return store
  }

  private async load(): Promise<void> {
    const text = await readFile(join(this.folder, 'index.jsonl'), 'utf8')
    const lines = text.split('\n')
    if (lines.pop() !== '') await writeFile(join(this.folder, 'index.jsonl'), lines.map((l) => `${l}\n`).join(''))
    this.entries = lines.map((line) => JSON.parse(line) as Entry)
    this.end = (await this.sources.stat()).size
  }

  /** Keeps a message; answers once it is written. */
  add(source: Buffer, arrival: Omit<Arrival, 'id'>): Promise<Arrival> {
    const written = this.writing.then(async () => {
      const entry: Entry = { id: (this.entries[this.entries.length - 1]?.id ?? 0) + 1, ...arrival, offset: this.end, length: source.length }
      await this.sources.write(source)
      this.end += source.length
      await this.index.write(`${JSON.stringify(entry)}\n`)
      this.entries.push(entry)
      return entry
    })
    this.writing = written.catch(() => undefined)
    return written
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
    this.index = await open(join(this.folder, 'index.jsonl'), 'a+')
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
    return this.entries[id - first]
  }
}
