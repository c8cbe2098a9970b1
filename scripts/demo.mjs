import { runInstallation } from './lib/run.mjs'

await runInstallation({ demo: true, mode: 'start', fresh: process.argv.includes('--fresh') })
