import { createHash } from 'node:crypto'
import { mkdirSync, statfsSync } from 'node:fs'
import { freemem } from 'node:os'
import { join } from 'node:path'
import { ROOT } from './environment.mjs'

/** Where Linux keeps files in memory. */
const FILES = '/dev/shm'

/** More than the tests' databases come to, and what runs beside them needs. */
const ROOM = 8_000_000_000

/** A folder of this project's in memory, the same each time, where there is room for the tests' databases: to make and to drop hundreds of them takes less of the processors there than on a disk. Null where there is none. */
export function folderInMemory() {
  if (!hasRoom()) return null
  const folder = join(FILES, `rappel-test-${createHash('sha256').update(ROOT).digest('hex').slice(0, 12)}`)
  mkdirSync(folder, { recursive: true, mode: 0o755 })
  return folder
}

function hasRoom() {
  try {
    const { bavail, bsize } = statfsSync(FILES)
    return bavail * bsize >= ROOM && (process.availableMemory?.() ?? freemem()) >= ROOM
  } catch {
    return false // no such folder, or none that may be looked at
  }
}
