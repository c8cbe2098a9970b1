import { webStream } from './web-stream'

const PAGE = 1_000
const MOST = 200_000

/** A long list as a stream, read page by page as it is fetched: `read` answers what comes after an id, `write` puts a page into text. At most 200,000 are given. */
export function inPages<T extends { readonly id: number }>(
  read: (after: number | undefined, limit: number) => Promise<readonly T[]>,
  write: (page: readonly T[]) => string,
  head = '',
): ReadableStream {
  const encoder = new TextEncoder()
  async function* pages() {
    if (head) yield encoder.encode(head)
    let after: number | undefined
    for (let given = 0; given < MOST; given += PAGE) {
      const page = await read(after, PAGE)
      if (page.length) yield encoder.encode(write(page))
      if (page.length < PAGE) return
      after = page[page.length - 1]?.id
    }
  }
  return webStream(pages())
}
