import { rmSync } from 'node:fs'
import { HOME, startDemo } from './installation'

const { ensureBuilt } = (await import(`${process.cwd()}/scripts/lib/build.mjs`)) as { ensureBuilt(): void }

// What the browser tests begin with, made while other tests run: the application built, the demo loaded and up.
ensureBuilt()
rmSync(HOME, { recursive: true, force: true })
await startDemo()
