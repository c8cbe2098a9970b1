import { mkdir, readdir, readFile, rm, stat, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { Pool } from 'pg'
import { parse, stringify } from 'yaml'
import { faultOf, membersOf } from '@/core/must'
import { hyphened } from '@/core/values/letters'
import { asFile, KIND_NAMES, KINDS, type KindName } from './kinds'

/** Most bytes of a file of definitions that is read, and most files. */
const MOST_BYTES = 2_000_000
const MOST_FILES = 20_000

/** The file that a name is kept in: what differs only in letters that file systems do not tell apart gets a number. */
function fileName(name: string, taken: Set<string>): string {
  const plain = hyphened(name).slice(0, 80) || 'unnamed'
  for (let n = 1; ; n++) {
    const file = n === 1 ? `${plain}.yaml` : `${plain}-${n}.yaml`
    if (taken.has(file)) continue
    taken.add(file)
    return file
  }
}

/** Writes the definitions of an installation as files, one each, and removes those of what is not there any more; how many there are. */
export async function exportDefinitions(pool: Pool, folder: string): Promise<number> {
  let count = 0
  for (const kind of KIND_NAMES) {
    const at = join(folder, KINDS[kind].folder)
    await mkdir(at, { recursive: true })
    const written = new Set<string>()
    for (const [name, value] of [...(await KINDS[kind].list(pool))].sort(([a], [b]) => (a < b ? -1 : 1))) {
      await writeFile(join(at, fileName(name, written)), stringify(asFile(kind, name, value), { lineWidth: 0 }))
      count++
    }
    for (const file of await readdir(at)) if (file.endsWith('.yaml') && !written.has(file)) await rm(join(at, file))
  }
  return count
}

/** A definition that was read from a file. */
export interface ReadFile {
  readonly kind: KindName
  readonly name: string
  readonly value: unknown
  readonly path: string
}

/** What the files of a folder define, and what is wrong with those that define nothing. */
export async function readDefinitions(folder: string): Promise<{ readonly found: readonly ReadFile[]; readonly problems: readonly string[] }> {
  const found: ReadFile[] = []
  const problems: string[] = []
  if (!(await stat(folder).catch(() => null))?.isDirectory()) return { found, problems: [`${folder}: there is no such folder.`] }
  for (const kind of KIND_NAMES) {
    const files = (await readdir(join(folder, KINDS[kind].folder)).catch(() => [])).filter((f) => /\.(yaml|yml|json)$/.test(f)).sort()
    if (files.length > MOST_FILES) problems.push(`${KINDS[kind].folder}: there are ${files.length} files; at most ${MOST_FILES} are read.`)
    for (const file of files.slice(0, MOST_FILES)) {
      const path = join(KINDS[kind].folder, file)
      const read = await readOne(kind, path, join(folder, path))
      if ('problems' in read) problems.push(...read.problems.map((p) => `${path} ${p}`))
      else if (found.some((f) => f.kind === kind && f.name === read.name)) problems.push(`${path} /name: another file defines ${read.name} as well.`)
      else found.push(read)
    }
  }
  if (found.length + problems.length === 0) problems.push(`${folder}: there are no definitions in it, in ${KIND_NAMES.map((kind) => `${KINDS[kind].folder}/`).join(', ')}.`)
  return { found, problems }
}

async function readOne(kind: KindName, path: string, file: string): Promise<ReadFile | { readonly problems: readonly string[] }> {
  const text = await readFile(file, 'utf8')
  if (text.length > MOST_BYTES) return { problems: [`/: it has ${text.length} characters; at most ${MOST_BYTES} are read.`] }
  let given: Readonly<Record<string, unknown>>
  try {
    given = membersOf(parse(text, { maxAliasCount: 20 }))
  } catch (error) {
    return { problems: [`/: this is neither YAML nor JSON: ${faultOf(error).split('\n')[0]}`] }
  }
  const { name, ...rest } = given
  if (typeof name !== 'string' || name.trim() === '') return { problems: ['/name: a definition has a name.'] }
  const read = KINDS[kind].read(name, rest)
  return 'problems' in read ? read : { kind, name, value: read.value, path }
}
