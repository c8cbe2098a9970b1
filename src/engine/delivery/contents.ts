import { must } from '@/core/must'
import type { Attachment } from '@/core/workflow/plan'
import type { Queryable } from '@/store/database'
import { readFile } from '@/store/files'
import type { Contents } from './send'

/** A file that a message was to carry is not there any more. */
export class FileGone extends Error {
  override readonly name = 'FileGone'
}

/** Reads what a message's attachments hold, each file once. @throws FileGone */
export async function readContents(db: Queryable, attachments: readonly Attachment[] | null): Promise<Contents> {
  const contents = new Map<number, Buffer>()
  for (const { file, name } of attachments ?? []) {
    if (contents.has(file)) continue
    const found = await readFile(db, file)
    if (!found) throw new FileGone(`The file ${name} is gone.`)
    contents.set(file, found.content)
  }
  return contents
}

/** Most bytes of files that are kept between messages. */
const KEPT = 40_000_000

/** Contents of files that many messages carry, read once and kept while there is room; a file's content never changes. */
export class ContentsCache {
  private readonly kept = new Map<number, Buffer>()
  private size = 0

  constructor(private readonly db: Queryable) {}

  /** What a message's attachments hold. @throws FileGone */
  async read(attachments: readonly Attachment[] | null): Promise<Contents> {
    const missing = attachments?.filter((a) => !this.kept.has(a.file)) ?? []
    const contents = new Map([...this.kept, ...(await readContents(this.db, missing))])
    for (const { file } of missing) this.keep(file, must(contents.get(file)))
    return contents
  }

  private keep(file: number, content: Buffer): void {
    if (content.length > KEPT || this.kept.has(file)) return
    for (const [old, { length }] of this.kept) {
      if (this.size + content.length <= KEPT) break
      this.kept.delete(old)
      this.size -= length
    }
    this.kept.set(file, content)
    this.size += content.length
  }
}
