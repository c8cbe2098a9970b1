import type { Identity } from '@/core/recipients/mentions'
import type { Queryable } from '@/store/database'
import { LIST_NAMES, type Personal, readPieces } from '@/store/personal/find'

/** What is kept of somebody as one JSON document, in parts: there may be more mail than a process has room for. */
export async function* personalFile(db: Queryable, found: Personal, who: Identity): AsyncGenerator<Buffer> {
  yield Buffer.from(JSON.stringify(found).slice(0, -1))
  for (const list of LIST_NAMES) {
    yield Buffer.from(`,${JSON.stringify(list)}:[`)
    let isFirst = true
    for await (const rows of readPieces(db, who, list)) {
      yield Buffer.from((isFirst ? '' : ',') + rows.map((row) => JSON.stringify(row)).join(','))
      isFirst = false
    }
    yield Buffer.from(']')
  }
  yield Buffer.from('}')
}
