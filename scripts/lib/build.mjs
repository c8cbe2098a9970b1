import { spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { digest } from './digest.mjs'
import { fail, ROOT, say } from './environment.mjs'

/** What the build was made of that is there. */
export const MARK = join(ROOT, '.next/rappel-built')

/** Is held by whoever builds; beside the build, which is emptied first. */
const LOCK = join(ROOT, '.programs/building')
const SOURCES = ['src', 'package-lock.json', 'next.config.ts', 'postcss.config.mjs', 'tsconfig.json']

/** Whether what was built is of these sources. */
export const isBuilt = (sources) => existsSync(MARK) && readFileSync(MARK, 'utf8') === sources

/** Builds the web application where its sources changed since it was built last; of several that start at once one builds, and the others wait for it. */
export function ensureBuilt() {
  const hash = createHash('sha256')
  for (const path of SOURCES) digest(path, hash)
  const sources = hash.digest('hex')
  if (isBuilt(sources)) return
  if (/[#?]/.test(ROOT)) fail(`The web application cannot be built in ${ROOT}: its builder takes what follows a # or ? in a path for something else. Give the folder another name.`)
  say('Building the web application …')
  mkdirSync(dirname(LOCK), { recursive: true })
  const { status, stdout, stderr } = spawnSync('flock', [LOCK, process.execPath, join(ROOT, 'scripts/lib/build-alone.mjs'), sources], { encoding: 'utf8' })
  if (status !== 0) fail(`The web application could not be built:\n\n${stdout}\n${stderr}`)
}
