import { existsSync, readFileSync } from 'node:fs'
import { runWorker } from './lib/run.mjs'

await runWorker((path) => (existsSync(path) ? readFileSync(path, 'utf8').trim() : null))
