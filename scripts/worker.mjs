import { runWorker } from './lib/run.mjs'

await runWorker()
