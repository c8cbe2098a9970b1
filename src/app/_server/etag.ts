import { createHash } from 'node:crypto'
import { Problem } from './problem'

/** What tells one state of something from another (RFC 9110 section 8.8.3): a strong validator of its content. */
export function etagOf(content: unknown): string {
  return `"${createHash('sha256').update(JSON.stringify(content)).digest('base64url').slice(0, 22)}"`
}

/** Whether a header of entity tags names one, `*` any (RFC 9110 section 13.1). */
const names = (header: string, tag: string) => header.trim() === '*' || header.split(',').some((t) => t.trim().replace(/^W\//, '') === tag)

/** Refuses to change what is not as the caller saw it. @throws Problem 412 where If-Match names another state */
export function requireMatch(request: Request, content: unknown): void {
  const header = request.headers.get('if-match')
  if (header === null || names(header, etagOf(content))) return
  throw new Problem(412, 'Changed meanwhile', 'Somebody has changed it since. Nothing was overwritten: read it anew, then try again.')
}

/** An answer with its entity tag; 304 without content where the caller has that already. */
export function tagged(request: Request, content: unknown, init: ResponseInit = {}): Response {
  const etag = etagOf(content)
  const seen = request.headers.get('if-none-match')
  if (request.method === 'GET' && seen !== null && names(seen, etag)) return new Response(null, { status: 304, headers: { etag } })
  return Response.json(content, { ...init, headers: { ...init.headers, etag } })
}
