import { writeFileSync } from 'node:fs'
import { monitorEventLoopDelay } from 'node:perf_hooks'

/** Loaded into the web server that is measured: on SIGUSR2 writes how long its event loop was held at the most since the last time, in milliseconds. */
const delay = monitorEventLoopDelay({ resolution: 5 })
delay.enable()
process.on('SIGUSR2', () => {
  writeFileSync(process.env.RAPPEL_LOOP_FILE, String(delay.max / 1e6))
  delay.reset()
})
