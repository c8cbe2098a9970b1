import { createConnection, createServer, type Socket } from 'node:net'

/** A wire between two programs that can be cut. */
export class Wire {
  private readonly open = new Set<Socket>()
  private isCut = false

  constructor(
    readonly port: number,
    private readonly target: number,
  ) {}

  start(): Promise<void> {
    const server = createServer((near) => {
      if (this.isCut) return void near.destroy()
      const far = createConnection(this.target, '127.0.0.1')
      for (const [one, other] of [
        [near, far],
        [far, near],
      ] as const) {
        this.open.add(one)
        one.setNoDelay(true)
        one.on('error', () => other.destroy())
        one.on('close', () => {
          this.open.delete(one)
          other.destroy()
        })
        one.pipe(other)
      }
    })
    server.unref()
    return new Promise((resolve) => server.listen(this.port, '127.0.0.1', resolve))
  }

  /** Breaks every connection and lets none be made. */
  cut(): void {
    this.isCut = true
    for (const socket of this.open) socket.destroy()
  }

  mend(): void {
    this.isCut = false
  }
}
