/** Stops a process cleanly, once, on SIGTERM, SIGINT, or when whoever started it is gone. */
export function onStop(stop: () => Promise<void>): void {
  let stopping = false
  const end = () => {
    if (stopping) return
    stopping = true
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
