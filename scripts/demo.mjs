import { readArguments } from './lib/environment.mjs'
import { runInstallation } from './lib/run.mjs'

const { values } = readArguments('npm run demo [-- --fresh]', { fresh: { type: 'boolean', default: false } })
await runInstallation({ demo: true, mode: 'start', fresh: values.fresh })
