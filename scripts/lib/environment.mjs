import { accessSync, constants, mkdirSync } from 'node:fs'
import net from 'node:net'
import { dirname, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { parseArgs } from 'node:util'
import { faultsOf, takenFrom, unknownOf } from './checked.mjs'

/** The project's folder; every script works from here. */
export const ROOT = dirname(dirname(dirname(fileURLToPath(import.meta.url))))

/** What the environment asks for, with the defaults of docs/operating.md; ends with a sentence for each variable that is not what it must be. */
export function readEnvironment(given = process.env) {
  const faults = faultsOf(given)
  if (faults.length) fail(faults.join('\n'))
  for (const sentence of unknownOf(given)) process.stderr.write(`${sentence}\n`)
  const env = takenFrom(given)
  const number = (name, fallback) => Number(env[name] ?? fallback)
  const settings = {
    home: resolve(ROOT, env.RAPPEL_HOME ?? '.rappel'),
    databaseUrl: env.DATABASE_URL,
    port: number('RAPPEL_PORT', 4170),
    postRoomPort: number('RAPPEL_POST_ROOM_PORT', 4171),
    smtpPort: number('RAPPEL_SMTP_PORT', 4172),
    pgPort: number('RAPPEL_PG_PORT', 4173),
    workers: number('RAPPEL_WORKERS', 1),
  }
  makeFolder(settings.home, 0o755, 'It is the home, RAPPEL_HOME: make it, or say another.')
  return {
    ...settings,
    baseUrl: (env.RAPPEL_BASE_URL ?? `http://127.0.0.1:${settings.port}`).replace(/\/$/, ''),
  }
}

/** What a command was called with, as `parseArgs` of Node.js reads it; ends with how it is called where it is called otherwise. */
export function readArguments(usage, options, most = 0) {
  try {
    const { values, positionals } = parseArgs({ allowPositionals: true, args: process.argv.slice(2), options })
    if (positionals.length <= most) return { values, positionals }
    fail(`${positionals[most]} is more than it takes: ${usage}`)
  } catch (error) {
    fail(`${error.message.split('. To specify')[0]}: ${usage}`)
  }
}

/** Makes a folder, where it is not there; ends with a sentence where it cannot be made. */
export function makeFolder(folder, mode, otherwise) {
  try {
    mkdirSync(folder, { recursive: true, mode })
  } catch (error) {
    fail(`${folder} is no folder, and cannot be made one: ${error.message}. ${otherwise}`)
  }
}

/** Makes sure that the home can be written into, as a start has to; other programs may read from one that they cannot change. */
export function requireWritable(home) {
  try {
    accessSync(home, constants.W_OK)
  } catch (error) {
    fail(`The home ${home} cannot be written into by this user: ${error.message}. Give it to them, or set RAPPEL_HOME to another.`)
  }
}

/** The number of a listening socket that whoever started this process holds for it and hands it (sd_listen_fds(3): LISTEN_PID, LISTEN_FDS, the first is 3); null where there is none. */
export function heldSocket(env = process.env) {
  return Number(env.LISTEN_PID) === process.pid && Number(env.LISTEN_FDS) >= 1 ? 3 : null
}

/** The address that the web application listens on, and the one under which this machine reaches it there. */
export function webAddress(env = process.env) {
  const listen = env.RAPPEL_LISTEN || '127.0.0.1'
  return { listen, reached: listen === '0.0.0.0' ? '127.0.0.1' : listen === '::' ? '::1' : listen }
}

/** The environment that the processes are started with. */
export function childEnvironment(settings, databaseUrl) {
  return {
    ...takenFrom(process.env),
    RAPPEL_HOME: settings.home,
    DATABASE_URL: databaseUrl,
    RAPPEL_PORT: String(settings.port),
    RAPPEL_POST_ROOM_PORT: String(settings.postRoomPort),
    RAPPEL_SMTP_PORT: String(settings.smtpPort),
    RAPPEL_BASE_URL: settings.baseUrl,
    NEXT_TELEMETRY_DISABLED: '1',
  }
}

/** Ends the script with a sentence, no stack. */
export function fail(sentence) {
  process.stderr.write(`\n${sentence}\n`)
  process.exit(1)
}

/** Why nothing can listen on a port, in sentences that say what to do; `name` is the variable that the port stands in, `what` is to listen there. */
export function whyNotListening({ code, message }, { port, name, what, host = '127.0.0.1' }) {
  if (code === 'EADDRINUSE') return `Port ${port}, wanted for ${what}, is in use by another program. Stop that program, or set ${name} to a free port.`
  if (code === 'EADDRNOTAVAIL') return `RAPPEL_LISTEN is ${host}, which is no address of this machine. Set it to one, or to 0.0.0.0 for all of them.`
  if (code === 'EACCES')
    return `This user may not listen on port ${port}, wanted for ${what}. Set ${name} to one above 1023, with a proxy before it, or let the program have it (systemd: AmbientCapabilities=CAP_NET_BIND_SERVICE).`
  return `Nothing can listen on port ${port}, wanted for ${what}: ${message}. Set ${name} to another.`
}

/** Makes sure that a port is free, on loopback unless another address is said. */
export async function requireFreePort(port, name, what, host = '127.0.0.1') {
  const fault = await new Promise((done) => {
    const server = net.createServer()
    server.once('error', done)
    server.listen(port, host, () => server.close(() => done(null)))
  })
  if (fault) fail(whyNotListening(fault, { port, name, what, host }))
}

/** Ports on loopback that are free now, as many as are asked for. */
export async function freePorts(count) {
  const servers = await Promise.all(
    Array.from({ length: count }, async () => {
      const server = net.createServer()
      await new Promise((done) => server.listen(0, '127.0.0.1', done))
      return server
    }),
  )
  const ports = servers.map((server) => server.address().port)
  await Promise.all(servers.map((server) => new Promise((done) => server.close(done))))
  return ports
}

export function say(line) {
  process.stdout.write(`${line}\n`)
}
