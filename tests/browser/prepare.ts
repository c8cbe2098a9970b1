import { spawnSync } from 'node:child_process'
import { rmSync } from 'node:fs'
import { HOME, startDemo, stopDemo } from './installation'

const { ensureBuilt } = (await import(`${process.cwd()}/scripts/lib/build.mjs`)) as { ensureBuilt(): void }
/** Where the second lane has its demo. */
const [, , copy = ''] = process.argv

// What the browser tests begin with, made while other tests run: the application built, the demo loaded and up, and a copy of it for the second lane, since to load it takes longer than to copy it.
ensureBuilt()
for (const home of [HOME, copy]) rmSync(home, { recursive: true, force: true })
await startDemo()
await stopDemo()
const { status } = spawnSync('cp', ['-a', HOME, copy])
if (status !== 0) rmSync(copy, { recursive: true, force: true }) // the second lane loads its own then
await startDemo()
