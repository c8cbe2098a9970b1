import { join } from 'node:path'

/** The programs that processes of their own run, by their names where they are put together. */
const PROGRAMS = { worker: 'src/engine/main.ts', apart: 'src/engine/apart/main.ts' } as const

/** How Node.js is told to run a program, from the project's folder: put together, where RAPPEL_PROGRAMS says where (`scripts/lib/programs.mjs`), else as it is written. */
export function argumentsFor(program: keyof typeof PROGRAMS): string[] {
  const folder = process.env.RAPPEL_PROGRAMS
  return folder ? [join(folder, `${program}.mjs`)] : ['--import', 'tsx', PROGRAMS[program]]
}

/** How long stopping may take, in milliseconds: what waits for a database that does not come back is given up, as a process that is killed gives it up. */
const MOST_STOPPING_MS = 25_000

/** Stops a process cleanly, once, on SIGTERM, SIGINT, or when whoever started it is gone; where that does not come to its end within `most` milliseconds, the process ends with 1. */
export function onStop(stop: () => Promise<void>, most = MOST_STOPPING_MS): void {
  let stopping = false
  const end = () => {
    if (stopping) return
    stopping = true
    setTimeout(() => process.exit(1), most).unref()
    stop().then(
      () => process.exit(0),
      (error: unknown) => {
        process.stderr.write(`${error instanceof Error ? error.stack : error}\n`)
        process.exit(1)
      },
    )
  }
  process.on('SIGTERM', end)
  process.on('SIGINT', end)
  if (process.send) process.on('disconnect', end)
}
