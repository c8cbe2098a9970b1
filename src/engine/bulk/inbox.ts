import { createHash } from 'node:crypto'
import { createReadStream } from 'node:fs'
import { lstat, mkdir, open, readdir, rename, writeFile } from 'node:fs/promises'
import { extname, join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { StringDecoder } from 'node:string_decoder'
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

const UNREADABLE = 'The file may not be read by the user that Rappel works as. Let it (chmod a+r), and lay it into the folder again.'

/** Most bytes of a file's name that is put aside: with the time before it, and an ending behind, it is no longer than file systems take (255, common practice). */
const MOST_NAME_BYTES = 220

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
        for (const file of await this.settled(folder)) if (await this.handled(named, folder, file)) handled++
      } catch (error) {
        if (isDatabaseAway(error)) throw error
        this.tell('the folder of an import could not be looked into; the others are', { import: named.name, error: faultOf(error) }) // and at the next look it is tried again
      }
    }
    return handled
  }

  /** Takes one file; where that fails the others of its folder are taken all the same, and it is tried again. */
  private async handled(named: NamedImport, folder: string, file: string): Promise<boolean> {
    try {
      return await this.handle(named, folder, file)
    } catch (error) {
      if (isDatabaseAway(error)) throw error
      this.tell('a file of an import could not be taken; the others are', { import: named.name, file, error: faultOf(error) })
      return false
    }
  }

  /** The files of a folder that have not grown for a while, by name. */
  private async settled(folder: string): Promise<string[]> {
    const now = Date.now()
    const files: string[] = []
    for (const raw of (await readdir(folder, { encoding: 'buffer' })).sort(Buffer.compare)) {
      const name = readable(raw)
      if (name.startsWith('.')) continue
      const path = join(folder, name)
      if (!Buffer.from(name).equals(raw)) {
        if (await lstat(path).catch(() => null)) continue // once the one of that name is put aside
        await rename(Buffer.concat([Buffer.from(`${folder}/`), raw]), path)
      }
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
      const ofNone = found.size > LARGEST ? `The file is larger than ${LARGEST} bytes.` : (await mayRead(path)) ? null : UNREADABLE
      const laid: LaidFile = { import: named.name, file, mark: `${found.size} ${Math.round(found.mtimeMs)} ${ofNone ? '' : await digestOf(path)}` }
      const problem = (await wasTaken(this.pool, laid)) ? null : ofNone ? await this.refuse(laid, ofNone) : await this.import(named, path, laid)
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
      return this.refuse(laid, why)
    }
  }

  /** Notes that a file is not imported, and why. */
  private async refuse(laid: LaidFile, why: string): Promise<string> {
    await noteTaken(this.pool, laid, { problem: why })
    this.tell('a file was not imported', { import: laid.import, file: laid.file })
    return why
  }

  private async putAside(folder: string, file: string, problem: string | null): Promise<void> {
    const aside = join(folder, problem === null ? 'done' : 'refused')
    await mkdir(aside, { recursive: true })
    const to = join(aside, `${new Date().toISOString().replaceAll(':', '-').slice(0, 19)} ${shortened(file)}`)
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

/** The name of a file as text: one that is no UTF-8, as other systems write them, is read as Latin-1. */
function readable(raw: Buffer): string {
  const name = raw.toString('utf8')
  return Buffer.from(name).equals(raw) ? name : raw.toString('latin1')
}

const mayRead = (path: string): Promise<boolean> =>
  open(path).then(
    (file) => file.close().then(() => true),
    () => false,
  )

/** A file's name cut to what there is room for; its ending stays. */
function shortened(file: string): string {
  if (Buffer.byteLength(file) <= MOST_NAME_BYTES) return file
  const ending = extname(file).slice(0, 20)
  return new StringDecoder('utf8').write(Buffer.from(file).subarray(0, MOST_NAME_BYTES - Buffer.byteLength(ending))) + ending
}
