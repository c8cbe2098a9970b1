import { createServer } from 'node:http'
import { parseArgs } from 'node:util'
import next from 'next'
import { callerNoter } from './caller.mjs'

/**
 * The web server: Next.js behind a server of our own, which says with every request where it came from. What a request
 * itself says about that is believed only from the proxies that RAPPEL_TRUST_PROXY names (addresses, networks, or `loopback`).
 */
const { values } = parseArgs({ options: { port: { type: 'string' }, dev: { type: 'boolean', default: false } } })
const noteCaller = callerNoter(process.env.RAPPEL_TRUST_PROXY)

process.title = 'next-server (rappel web)' // as it is called where Next.js is started by its own command
const app = next({ dev: values.dev, hostname: '127.0.0.1', port: Number(values.port) })
await app.prepare()
const handle = app.getRequestHandler()
const server = createServer((request, response) => {
  noteCaller(request)
  void handle(request, response)
})
if (values.dev) server.on('upgrade', app.getUpgradeHandler())
server.listen(Number(values.port), '127.0.0.1')

let isEnding = false
async function end() {
  if (isEnding) return
  isEnding = true
  await new Promise((resolve) => {
    server.close(resolve)
    server.closeIdleConnections()
    setTimeout(() => server.closeAllConnections(), 5_000).unref()
  })
  await app.close()
  process.exit(0)
}
process.on('SIGTERM', end)
process.on('SIGINT', end)
