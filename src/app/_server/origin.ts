import { baseUrl } from './environment'

const PORT = process.env.RAPPEL_PORT ?? '4170'

/** The origins (RFC 6454) that the application's own pages have: that of its address, and the machine's own names. */
function ownOrigins(): ReadonlySet<string> {
  const loopback = ['127.0.0.1', 'localhost', '[::1]'].map((host) => `http://${host}:${PORT}`)
  return new Set([new URL(baseUrl()).origin, ...loopback])
}

/** Whether a call comes from a page of this application, in scheme, host and port. */
export function isOwnOrigin(origin: string | null): boolean {
  return origin !== null && ownOrigins().has(origin)
}

/** Whether a request is addressed to this application by a name it has; another name may be a page's that has made it its own. */
export function isOwnHost(host: string | null): boolean {
  return host !== null && [...ownOrigins()].some((origin) => new URL(origin).host === host.toLowerCase() || `${new URL(origin).hostname}:${new URL(origin).port || '80'}` === host)
}

/** Whether the application is reached by TLS. */
export const isSecure = () => baseUrl().startsWith('https:')
