import { spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { digest } from './digest.mjs'
import { fail, ROOT, say } from './environment.mjs'

const MARK = join(ROOT, '.next/rappel-built')
const SOURCES = ['src', 'package-lock.json', 'next.config.ts', 'postcss.config.mjs', 'tsconfig.json']

/** Builds the web application where its sources changed since it was built last. */
export function ensureBuilt() {
  const hash = createHash('sha256')
  for (const path of SOURCES) digest(path, hash)
  const now = hash.digest('hex')
  if (existsSync(MARK) && readFileSync(MARK, 'utf8') === now) return
  if (/[#?]/.test(ROOT)) fail(`The web application cannot be built in ${ROOT}: its builder takes what follows a # or ? in a path for something else. Give the folder another name.`)
  say('Building the web application …')
  const { status, stdout, stderr } = spawnSync(process.execPath, ['node_modules/next/dist/bin/next', 'build'], {
    cwd: ROOT,
    encoding: 'utf8',
    env: { ...process.env, NODE_ENV: 'production', NEXT_TELEMETRY_DISABLED: '1' },
  })
  if (status !== 0) fail(`The web application could not be built:\n\n${stdout}\n${stderr}`)
  writeFileSync(MARK, now)
}
