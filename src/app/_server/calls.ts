import { ACCESS } from './access'
import { isOwnHost } from './origin'
import { problemDocument } from './problem-document'

/** A call of the API: its method, and its path part by part, null where any text may stand. */
interface Call {
  readonly method: string
  readonly parts: readonly (string | null)[]
}

const CALLS: readonly Call[] = Object.keys(ACCESS).flatMap((permission) => {
  const [method, path] = permission.split(' ') as [string, string]
  return method === 'PAGE' ? [] : [{ method, parts: path.split('/').map((part) => (part.startsWith('[') ? null : part)) }]
})

/** Methods that are answered wherever GET is, or by the framework itself (RFC 9110 section 9). */
const ALWAYS = ['HEAD', 'OPTIONS']

/** Why an address cannot be read, as a problem document; null for one that can. */
export function malformedAddress(pathname: string): Response | null {
  try {
    return decodeURIComponent(pathname).includes('\u0000') ? problem(400, 'Malformed address', 'The address has a NUL character.') : null
  } catch {
    return problem(400, 'Malformed address', 'The address has a % that is followed by no two hexadecimal digits, or they are no UTF-8.')
  }
}

/** Refuses what is addressed to another name than this application's, as a page does that has had its name point here. */
export function unknownHost(host: string | null): Response | null {
  return isOwnHost(host) ? null : problem(421, 'Misdirected', 'This application is not reached by that name. RAPPEL_BASE_URL says which it has.')
}

/** What is wrong with a call that the API has not, as a problem document (RFC 9457); null for one that it has. */
export function unknownCall(method: string, pathname: string): Response | null {
  const parts = pathname.replace(/\/$/, '').split('/')
  const there = CALLS.filter((call) => call.parts.length === parts.length && call.parts.every((part, i) => (part === null ? parts[i] !== '' : part === parts[i])))
  if (there.length === 0) return problem(404, 'Not found', `The API has no ${pathname}. docs/api.md and /api/v1/openapi.json say what it has.`)
  const methods = there.map((call) => call.method)
  if (methods.includes(method) || ALWAYS.includes(method)) return null
  return problem(405, 'Method not allowed', `${pathname} takes ${methods.join(', ')}, not ${method}.`, { allow: methods.join(', ') })
}

/** An answer that does not pass through what guards the others, so that it carries its guard itself. */
function problem(status: number, title: string, detail: string, headers: Readonly<Record<string, string>> = {}): Response {
  return problemDocument(status, title, detail, {}, { 'x-content-type-options': 'nosniff', ...headers })
}
