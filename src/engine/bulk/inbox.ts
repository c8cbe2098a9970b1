import { createHash } from 'node:crypto'
import { createReadStream } from 'node:fs'
import { lstat, mkdir, readdir, rename, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import type { Pool } from 'pg'
import type { NamedImport } from '@/core/bulk/named'
import { faultOf } from '@/core/must'
import { type LaidFile, listImports, noteTaken, wasTaken } from '@/store/bulk/imports'
import { maybeOne, transaction } from '@/store/database'
import { peopleByEmail } from '@/store/people'
import { isDatabaseAway, mayPass } from '@/store/problems'
import { readSettings } from '@/store/settings'
import { readSchema } from '@/store/tables'
import type { Tell } from '../tell'
import { isRowsRefused } from './import'
import type { RefusedRow } from './rows-read'
import { doBulk } from './write'

/** Most bytes of a file that is laid into a folder. */
const LARGEST = 500_000_000

/** How long a file must not have grown before it is taken for whole. */
const SETTLED_MS = 2_000

interface Seen {
  readonly size: number
  readonly modified: number
  readonly since: number
}

/**
 * The folders of imports that have a name, `inbox/<import>/` in the home: a file that is laid into one, and does not grow any more, is imported, once, and put aside into
 * `done`, or where it was refused into `refused` with a text beside it that says why. States of a file: laid, settled, written (noted in the same transaction), put aside;
 * one that was written and not put aside is put aside at the next look.
 */
export class Inbox {
  private readonly seen = new Map<string, Seen>()

  constructor(
    private readonly pool: Pool,
    private readonly home: string,
    private readonly tell: Tell,
    private readonly settledMs = SETTLED_MS,
  ) {}

  /** Looks into every folder; how many files were taken or refused. */
  async look(): Promise<number> {
    const imports = await listImports(this.pool)
    let handled = 0
    for (const named of imports) {
      const folder = join(this.home, 'inbox', named.name)
      try {
        await mkdir(folder, { recursive: true })
        for (const file of await this.settled(folder)) if (await this.handle(named, folder, file)) handled++
      } catch (error) {
        if (isDatabaseAway(error)) throw error
        this.tell('the folder of an import could not be looked into; the others are', { import: named.name, error: faultOf(error) }) // and at the next look it is tried again
      }
    }
    return handled
  }

  /** The files of a folder that have not grown for a while, by name. */
  private async settled(folder: string): Promise<string[]> {
    const now = Date.now()
    const files: string[] = []
    for (const name of (await readdir(folder)).sort()) {
      if (name.startsWith('.')) continue
      const path = join(folder, name)
      const found = await lstat(path).catch(() => null)
      if (!found?.isFile()) continue // no folder, and nothing that leads elsewhere
      const before = this.seen.get(path)
      const isSame = before?.size === found.size && before.modified === found.mtimeMs
      if (!isSame) this.seen.set(path, { size: found.size, modified: found.mtimeMs, since: now })
      else if (now - before.since >= this.settledMs) files.push(name)
    }
    return files
  }

  /** Takes one file, where no other worker has it; whether it is dealt with. */
  private async handle(named: NamedImport, folder: string, file: string): Promise<boolean> {
    const path = join(folder, file)
    return transaction(this.pool, async (lock) => {
      const got = await maybeOne<{ got: boolean }>(lock, `select pg_try_advisory_xact_lock(hashtext('rappel.inbox ' || $1)) as got`, [named.name])
      const found = got?.got ? await lstat(path).catch(() => null) : null
      if (!found?.isFile()) return false
      const laid: LaidFile = { import: named.name, file, mark: `${found.size} ${Math.round(found.mtimeMs)} ${found.size > LARGEST ? '' : await digestOf(path)}` }
      const problem = (await wasTaken(this.pool, laid)) ? null : found.size > LARGEST ? `The file is larger than ${LARGEST} bytes.` : await this.import(named, path, laid)
      await this.putAside(folder, file, problem)
      this.seen.delete(path)
      return true
    })
  }

  /** Imports a file; why it was not, where its rows or itself are at fault. What may pass is thrown. */
  private async import(named: NamedImport, path: string, laid: LaidFile): Promise<string | null> {
    const { table, key, columns, ways, deleteMissing, partly, quiet, name } = named
    const [schema, organisation, people] = [await readSchema(this.pool), await readSettings(this.pool), await peopleByEmail(this.pool)]
    try {
      await doBulk(
        this.pool,
        { kind: 'import', table, path, key, columns, ways, deleteMissing, partly },
        { by: { kind: 'import', person: null, name }, name: `${name}: ${laid.file}`, quiet },
        { setting: { schema, organisation, people: people.ids }, also: (db, bulk) => noteTaken(db, laid, { bulk }) },
      )
      return null
    } catch (error) {
      if (isDatabaseAway(error) || mayPass(error)) throw error // it is tried again
      const why = isRowsRefused(error) ? `${faultOf(error)} Nothing was imported.\n\n${rowsIn(error.refusals)}` : faultOf(error)
      await noteTaken(this.pool, laid, { problem: why })
      this.tell('a file was not imported', { import: name, file: laid.file })
      return why
    }
  }

  private async putAside(folder: string, file: string, problem: string | null): Promise<void> {
    const aside = join(folder, problem === null ? 'done' : 'refused')
    await mkdir(aside, { recursive: true })
    const to = join(aside, `${new Date().toISOString().replaceAll(':', '-').slice(0, 19)} ${file}`)
    if (problem !== null) await writeFile(`${to}.txt`, `${problem}\n`)
    await rename(join(folder, file), to)
  }
}

const rowsIn = (rows: readonly RefusedRow[]) => rows.map(({ row, problems }) => `Row ${row}: ${problems.map((p) => p.message).join(' ')}`).join('\n')

async function digestOf(path: string): Promise<string> {
  const hash = createHash('sha256')
  await pipeline(createReadStream(path), hash)
  return hash.digest('base64url')
}
