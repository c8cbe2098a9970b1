import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, renameSync, rmSync, statSync, utimesSync } from 'node:fs'
import { basename, join } from 'node:path'
import { digest } from './digest.mjs'
import { fail, ROOT } from './environment.mjs'

/** The programs that processes run, by their sources: the worker, what it evaluates apart, the post room, and what prepares an installation. */
const SOURCES = {
  worker: 'src/engine/main.ts',
  apart: 'src/engine/apart/main.ts',
  'post-room': 'src/outside/post-room/main.ts',
  prepare: 'src/demo/prepare.ts',
  command: 'src/engine/command/main.ts',
}

/** Packages that are loaded as they are: they bring parts that are no JavaScript, or look for files beside them. */
const AS_THEY_ARE = ['@node-rs/argon2', 'graphile-worker', 'pg-native', '@playwright/test', '@opentelemetry/*']

/** What packages written for CommonJS expect. */
const BANNER = `import { createRequire as rappelRequire } from 'node:module'; import { fileURLToPath as rappelPath } from 'node:url'; import { dirname as rappelFolder } from 'node:path';
const require = rappelRequire(import.meta.url); const __filename = rappelPath(import.meta.url); const __dirname = rappelFolder(__filename);`

/** How long the programs of versions of before are kept, for processes that were started from them. */
const KEPT_MS = 7 * 86_400_000

/**
 * Puts each program with all that it imports into a file or two, where its sources changed since: a process that starts from them is up in a sixth of the time. Answers the folder,
 * which children are told in RAPPEL_PROGRAMS.
 */
export async function ensurePrograms() {
  const hash = createHash('sha256')
  for (const path of ['src', 'package-lock.json', 'tsconfig.json', 'scripts/lib/programs.mjs']) digest(path, hash)
  const home = join(ROOT, '.programs')
  const folder = join(home, hash.digest('hex').slice(0, 16))
  if (existsSync(folder)) {
    utimesSync(folder, new Date(), new Date())
    return folder
  }
  const making = `${folder}.${process.pid}`
  mkdirSync(making, { recursive: true })
  try {
    await putTogether(SOURCES, making)
  } catch (error) {
    rmSync(making, { recursive: true, force: true })
    fail(`The programs could not be put together: ${error.message}`)
  }
  if (existsSync(folder))
    rmSync(making, { recursive: true, force: true }) // somebody else was first
  else renameSync(making, folder)
  for (const name of readdirSync(home))
    if (name !== basename(folder) && statSync(join(home, name)).mtimeMs < Date.now() - KEPT_MS) rmSync(join(home, name), { recursive: true, force: true })
  return folder
}

/** Puts programs together into a folder, each under its name. @throws Error where one cannot be */
export async function putTogether(sources, outdir) {
  const { build, stop } = await import('esbuild')
  try {
    await build({
      absWorkingDir: ROOT,
      entryPoints: sources,
      outdir,
      bundle: true,
      splitting: true,
      platform: 'node',
      target: 'node20',
      format: 'esm',
      outExtension: { '.js': '.mjs' },
      external: AS_THEY_ARE,
      banner: { js: BANNER },
      logLevel: 'error',
    })
  } finally {
    await stop() // its process keeps 300 MB as long as this one goes on
  }
}

/** How Node.js is told to run a program, by its source: put together, where RAPPEL_PROGRAMS says where, else as it is written. */
export function argumentsFor(source, folder = process.env.RAPPEL_PROGRAMS) {
  const name = Object.keys(SOURCES).find((known) => SOURCES[known] === source)
  return folder && name ? [join(folder, `${name}.mjs`)] : ['--import', 'tsx', join(ROOT, source)]
}
