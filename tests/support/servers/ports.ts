import { createConnection, createServer } from 'node:net'

/** A port that is free now. */
export function freePort(): Promise<number> {
  return new Promise((resolve, reject) => {
    const server = createServer()
    server.on('error', reject)
    server.listen(0, '127.0.0.1', () => {
      const address = server.address()
      server.close(() => resolve(typeof address === 'object' && address ? address.port : 0))
    })
  })
}

/** Whether something listens on a port. */
function isOpen(port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = createConnection(port, '127.0.0.1')
    socket.once('connect', () => {
      socket.destroy()
      resolve(true)
    })
    socket.once('error', () => resolve(false))
  })
}

/** Waits, ten seconds at most, until something holds. @throws Error naming what did not come up */
export async function comesUp(what: string, holds: () => boolean | Promise<boolean>): Promise<void> {
  for (let i = 0; i < 200; i++) {
    if (await holds()) return
    await new Promise((resolve) => setTimeout(resolve, 50))
  }
  throw new Error(`${what} did not come up.`)
}

/** The same for a port that something is to listen on. */
export const listens = (what: string, port: number): Promise<void> => comesUp(what, () => isOpen(port))
