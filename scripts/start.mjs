import { runInstallation } from './lib/run.mjs'

await runInstallation({ demo: false, mode: 'start' })
