import { createWriteStream } from 'node:fs'
import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { Problem } from './problem'

/** Most bytes of a file that is imported. */
export const MAX_IMPORT = 500_000_000

/** A body piece by piece, no faster than it is taken. */
async function* chunksOf(body: ReadableStream<Uint8Array>): AsyncGenerator<Uint8Array> {
  const reader = body.getReader()
  for (let next = await reader.read(); !next.done; next = await reader.read()) yield next.value
}

/** A body that is kept in a file until it is dropped. */
export interface Upload {
  readonly path: string
  readonly drop: () => Promise<void>
}

/** Keeps a call's body in a file, so that however large it is it takes no memory; whoever asks for it drops it. @throws Problem 413, 422: then nothing is kept */
export async function keepUpload(request: Request): Promise<Upload> {
  const folder = await mkdtemp(join(tmpdir(), 'rappel-import-'))
  const drop = () => rm(folder, { recursive: true, force: true })
  try {
    const path = join(folder, 'file')
    let size = 0
    const counted = async function* (source: AsyncIterable<Uint8Array>) {
      for await (const chunk of source) {
        size += chunk.length
        if (size > MAX_IMPORT) throw new Problem(413, 'Too large', `The file is larger than ${MAX_IMPORT} bytes. Send it in parts.`)
        yield chunk
      }
    }
    if (request.body) await pipeline(chunksOf(request.body), counted, createWriteStream(path))
    if (size === 0) throw new Problem(422, 'Not valid', 'The file is empty: send it as the body.')
    return { path, drop }
  } catch (error) {
    await drop()
    throw error
  }
}
