import { createWriteStream } from 'node:fs'
import { mkdtemp, rm, stat } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { Problem } from './problem'
import { bodyWithin } from './route'

/** Most bytes of a file that is imported. */
export const MAX_IMPORT = 500_000_000

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
    await pipeline(bodyWithin(request, MAX_IMPORT, `The file is larger than ${MAX_IMPORT} bytes. Send it in parts.`), createWriteStream(path))
    if ((await stat(path)).size === 0) throw new Problem(422, 'Not valid', 'The file is empty: send it as the body.')
    return { path, drop }
  } catch (error) {
    await drop()
    throw error
  }
}
