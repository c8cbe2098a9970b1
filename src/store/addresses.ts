import { createHash } from 'node:crypto'
import { existsSync, readFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { addressesOf, serverIn } from './hosts'

const LOOPBACK = /^(localhost|127\.\d+\.\d+\.\d+|\[::1\]|)$/i

/** Which machine this is, hashed as machine-id(5) asks for; empty where it has no number, as in a container. */
function machine(): string {
  try {
    const id = readFileSync('/etc/machine-id', 'utf8').trim()
    return id ? ` on ${createHash('sha256').update(`rappel ${id}`).digest('hex').slice(0, 12)}` : ''
  } catch {
    return ''
  }
}

/** What one server is called: its host and port, with the machine where that is this one. */
function calledAs(url: string): string {
  const { host, port } = serverIn(url)
  return LOOPBACK.test(host) || host.startsWith('/') ? `this machine:${port}${machine()}` : `${host.toLowerCase()}:${port}`
}

/**
 * What a database is called by a process that reaches it at these addresses, each of which may name several servers: those, the home where it is the home's own, and RAPPEL_PLACE. A copy
 * has none of them in common with what it was copied from, as long as it is reached elsewhere. Addresses that cannot be read are left out.
 */
export function placesOf(urls: readonly string[], home?: string): string[] {
  const addresses = urls.flatMap(addressesOf).filter((url) => URL.canParse(url))
  const isOwn = home !== undefined && existsSync(join(home, 'database-password'))
  const { RAPPEL_PLACE } = process.env
  return [...new Set([...(RAPPEL_PLACE ? [RAPPEL_PLACE] : []), ...(isOwn ? [`${resolve(home)}${machine()}`] : []), ...addresses.map(calledAs)])]
}
