import { spawnSync } from 'node:child_process'
import { existsSync, rmSync } from 'node:fs'
import { HOME, startDemo, stopDemo } from './installation'

const { ensureBuilt } = (await import(`${process.cwd()}/scripts/lib/build.mjs`)) as { ensureBuilt(): void }
/** Where the second lane has its demo. */
const copy = process.argv[2]

// What the browser tests begin with, made while other tests run: the application built, the demo loaded and up, and a copy of it for the second lane, since to load it takes longer than to copy it.
ensureBuilt()
for (const home of [HOME, ...(copy ? [copy] : [])]) rmSync(home, { recursive: true, force: true })
await startDemo()
if (copy) {
  await stopDemo()
  spawnSync('cp', ['-a', HOME, copy], { stdio: 'inherit' })
  if (!existsSync(copy)) throw new Error(`The demo could not be copied to ${copy}.`)
  await startDemo()
}
