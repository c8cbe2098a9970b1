import { runInstallation } from './lib/run.mjs'

await runInstallation({ demo: true, mode: 'dev' })
