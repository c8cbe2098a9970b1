import { type NextRequest, NextResponse } from 'next/server'
import { malformedAddress, unknownCall, unknownHost } from './app/_server/calls'
import { pool } from './app/_server/environment'
import { isSecure } from './app/_server/origin'
import { PATH_HEADER } from './app/_server/path-header'
import { within } from './app/_server/within'
import { connectWithin } from './store/database'

/** Answered under any name: whoever watches over machines asks by number. */
const HEALTH = '/api/v1/health'

/** Before every call: is there such a one? Before every page: is the database there? And a content security policy that lets no script through but the application's own. */
export async function proxy(request: NextRequest): Promise<Response> {
  const { pathname } = new URL(request.url)
  const refused = malformedAddress(pathname) ?? (pathname === HEALTH ? null : unknownHost(request.headers.get('host')))
  if (refused) return refused
  if (pathname === '/api' || pathname.startsWith('/api/')) return unknownCall(request.method, pathname) ?? guarded(NextResponse.next())
  if (!(await isDatabaseThere())) return away()
  const nonce = btoa(crypto.randomUUID())
  const policy = contentSecurityPolicy(nonce)
  const headers = new Headers(request.headers)
  headers.set('x-nonce', nonce)
  headers.set(PATH_HEADER, pathname)
  headers.set('content-security-policy', policy)
  const response = NextResponse.next({ request: { headers } })
  response.headers.set('content-security-policy', policy)
  return guarded(response)
}

/** What every answer carries; none is kept by whoever passes it on. */
function guarded(response: NextResponse): NextResponse {
  response.headers.set('x-content-type-options', 'nosniff')
  response.headers.set('x-frame-options', 'DENY')
  response.headers.set('referrer-policy', 'same-origin')
  response.headers.set('cross-origin-opener-policy', 'same-origin')
  response.headers.set('cross-origin-resource-policy', 'same-origin')
  response.headers.set('permissions-policy', 'camera=(), geolocation=(), microphone=()')
  response.headers.set('cache-control', 'no-store')
  if (isSecure()) response.headers.set('strict-transport-security', 'max-age=31536000')
  return response
}

export const config = { matcher: [{ source: '/((?!_next/|favicon).*)' }] }

async function isDatabaseThere(): Promise<boolean> {
  const asked = pool()
    .query('select 1')
    .then(
      () => true,
      () => false,
    )
  return (await within(connectWithin(), asked)) ?? false
}

function contentSecurityPolicy(nonce: string): string {
  const evaluation = process.env.NODE_ENV === 'development' ? " 'unsafe-eval'" : ''
  return [
    "default-src 'self'",
    `script-src 'self' 'nonce-${nonce}' 'strict-dynamic'${evaluation}`,
    "style-src 'self' 'unsafe-inline'",
    "img-src 'self' data: blob:",
    "frame-src 'self' blob:",
    "font-src 'self'",
    "connect-src 'self'",
    "object-src 'none'",
    "base-uri 'none'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ].join('; ')
}

function away(): NextResponse {
  const html = `<!doctype html><html lang="en"><meta charset="utf-8"><meta http-equiv="refresh" content="5"><title>Rappel is waiting for its database</title>
<body style="font:18px/1.6 Georgia,serif;margin:15vh auto;max-width:34em;padding:0 1em;color:#16211F;background:#FBFAF6">
<h1 style="font-weight:500">Rappel is waiting for its database</h1>
<p>The database cannot be reached at the moment. Nothing is lost: changes are recorded in the database itself, and mail that is due waits there. This page tries again every five seconds.</p>`
  return new NextResponse(html, { status: 503, headers: { 'content-type': 'text/html; charset=utf-8', 'retry-after': '5', 'cache-control': 'no-store' } })
}
