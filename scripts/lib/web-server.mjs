import { createServer } from 'node:http'
import { connect } from 'node:net'
import { parseArgs } from 'node:util'
import next from 'next'
import { callerNoter } from './caller.mjs'
import { fail, webAddress, whyNotListening } from './environment.mjs'

/**
 * The web server: Next.js behind a server of our own, which says with every request where it came from. What a request
 * itself says about that is believed only from the proxies that RAPPEL_TRUST_PROXY names (addresses, networks, or `loopback`). `--socket`: the number of a listening socket that is held for it, and
 * outlives it.
 */
const { values } = parseArgs({ options: { port: { type: 'string' }, socket: { type: 'string' }, dev: { type: 'boolean', default: false } } })
const { listen, reached } = webAddress()
const noteCaller = callerNoter(process.env.RAPPEL_TRUST_PROXY)

process.title = 'next-server (rappel web)' // as it is called where Next.js is started by its own command
const app = next({ dev: values.dev, hostname: '127.0.0.1', port: Number(values.port) })
await app.prepare()
const handle = app.getRequestHandler()
let isEnding = false
const server = createServer((request, response) => {
  if (isEnding) response.setHeader('connection', 'close')
  noteCaller(request)
  void handle(request, response)
})
if (values.dev) server.on('upgrade', app.getUpgradeHandler())
server.once('listening', () => process.send?.('ready'))
server.once('error', (error) => fail(whyNotListening(error, { port: values.port, name: 'RAPPEL_PORT', what: 'the web application', host: listen })))
server.listen(values.socket === undefined ? { port: Number(values.port), host: listen } : { fd: Number(values.socket) })

/** How long connections are still taken after a stop was asked for, each for one answer: a proxy that keeps some open learns meanwhile that they end. */
const LEAVE_TAKING_MS = 1_000

/** How long an answer that was begun may still take. */
const PATIENCE_MS = 12_000

/** Another address of the loopback, which nobody else calls from. */
const OURSELVES = '127.0.0.77'

/** How soon a connection is taken, in milliseconds, where none stands before it and none can have come behind it; and how long such a moment is waited for. */
const AT_ONCE_MS = 1
const MOMENT_WITHIN_MS = 3_000

/** Makes a connection of our own and waits until it is taken: all that the system had connected before it is taken then, too. How long that took, in milliseconds. */
function connectOurselves() {
  const began = performance.now()
  return new Promise((resolve) => {
    const taken = (socket) => {
      if (socket.remoteAddress !== OURSELVES) return
      server.off('connection', taken)
      socket.destroy()
      resolve(performance.now() - began)
    }
    server.on('connection', taken)
    connect({ port: Number(values.port), host: reached, localAddress: OURSELVES }).on('error', () => resolve(0)) // a system without that address
  })
}

/** Waits for a moment at which no connection waits to be taken: what waits when the server closes is cut off, and a proxy may not ask again for what it has sent. At a socket that is held, others take it. */
async function untilNoneWaits() {
  if (values.socket !== undefined) return
  const latest = performance.now() + MOMENT_WITHIN_MS
  while ((await connectOurselves()) > AT_ONCE_MS && performance.now() < latest) await new Promise((resolve) => setImmediate(resolve))
}

async function end() {
  if (isEnding) return
  isEnding = true
  if (!values.dev) {
    await new Promise((resolve) => setTimeout(resolve, LEAVE_TAKING_MS))
    await untilNoneWaits()
  }
  await new Promise((resolve) => {
    server.close(resolve)
    server.closeIdleConnections()
    setTimeout(() => server.closeAllConnections(), PATIENCE_MS).unref()
  })
  await app.close()
  process.exit(0)
}
process.on('SIGTERM', end)
process.on('SIGINT', end)
if (process.send) process.on('disconnect', end) // whoever started it is gone
