import { createHash, timingSafeEqual } from 'node:crypto'
import type { IncomingMessage, ServerResponse } from 'node:http'
import type { ChannelBoard } from './channels'
import type { Faults } from './faults'
import { readFaults } from './faults'
import type { MailStore } from './mail-store'

const MAX_BODY = 1_000_000

interface Reply {
  readonly status: number
  readonly type: string
  readonly body: string | Buffer
  readonly file?: string
}

const json = (body: unknown, status = 200): Reply => ({ status, type: 'application/json; charset=utf-8', body: JSON.stringify(body) })
const problem = (status: number, title: string): Reply => ({ status, type: 'application/problem+json', body: JSON.stringify({ status, title }) })

/** What the HTTP side needs of the post room. */
export interface Room {
  readonly store: MailStore
  readonly channels: ChannelBoard
  readonly faults: Faults
  /** What whoever writes has to show; anybody may where there is none. */
  readonly token: string | null
  setFaults(faults: Faults): Promise<void>
}

type Handler = (room: Room, parts: readonly string[], url: URL, body: () => Promise<unknown>) => Promise<Reply> | Reply

const ROUTES: readonly [method: string, pattern: RegExp, handler: Handler][] = [
  ['GET', /^\/messages$/, listMessages],
  ['DELETE', /^\/messages$/, clearMessages],
  ['GET', /^\/messages\/(\d+)$/, oneMessage],
  ['GET', /^\/messages\/(\d+)\.eml$/, sourceFile],
  ['GET', /^\/mailboxes$/, (room) => json({ mailboxes: room.store.mailboxes() })],
  ['GET', /^\/mailbox\/([^/]+)\.mbox$/, mboxFile],
  ['GET', /^\/faults$/, (room) => json(room.faults)],
  ['PUT', /^\/faults$/, putFaults],
  ['GET', /^\/channels$/, (room) => json({ channels: room.channels.names() })],
  ['POST', /^\/channels\/([^/]+)$/, async (room, [name], _url, body) => json(await room.channels.post(name ?? '', await body(), new Date()), 201)],
  ['GET', /^\/channels\/([^/]+)$/, (room, [name]) => json({ posts: room.channels.list(name ?? '') })],
]

/** Answers the HTTP side of the post room. */
export async function handle(room: Room, request: IncomingMessage, response: ServerResponse): Promise<void> {
  const reply = await answer(room, request).catch((error: unknown) => problem(400, error instanceof Error ? error.message : String(error)))
  response.writeHead(reply.status, {
    'content-type': reply.type,
    'cache-control': 'no-store',
    'x-content-type-options': 'nosniff',
    ...(reply.file ? { 'content-disposition': `attachment; filename="${reply.file}"` } : {}),
  })
  response.end(reply.body)
}

/** The address that a request asks for; null where it is none, such as `//`. */
function addressOf(request: IncomingMessage): URL | null {
  return URL.canParse(request.url ?? '/', 'http://post-room') ? new URL(request.url ?? '/', 'http://post-room') : null
}

/** Names that a machine has for itself; under another one some page may ask that has had its name point here. */
const LOOPBACK: ReadonlySet<string> = new Set(['127.0.0.1', 'localhost', '[::1]'])

/** Why a request is refused before it is looked at, or null. */
function refusal(room: Room, { method, headers }: IncomingMessage): Reply | null {
  if (!LOOPBACK.has((headers.host ?? '').replace(/:\d+$/, ''))) return problem(421, 'The post room is not reached by that name.')
  if (method === 'GET' || method === 'HEAD' || room.token === null) return null
  return isSame(headers.authorization ?? '', `Bearer ${room.token}`)
    ? null
    : problem(401, 'Writes want the token of the post room, “Authorization: Bearer …”; it is kept in its folder.')
}

function isSame(given: string, wanted: string): boolean {
  const [a, b] = [given, wanted].map((text) => createHash('sha256').update(text).digest()) as [Buffer, Buffer]
  return timingSafeEqual(a, b)
}

async function answer(room: Room, request: IncomingMessage): Promise<Reply> {
  const refused = refusal(room, request)
  if (refused) return refused
  const url = addressOf(request)
  if (!url) return problem(400, 'This is not an address.')
  for (const [method, pattern, handler] of ROUTES) {
    const match = pattern.exec(url.pathname)
    if (match && method === request.method) return handler(room, match.slice(1).map(decodeURIComponent), url, () => readBody(request))
  }
  return problem(404, `The post room has no ${request.method} ${url.pathname}.`)
}

async function readBody(request: IncomingMessage): Promise<unknown> {
  const chunks: Buffer[] = []
  let size = 0
  for await (const part of request) {
    const chunk = Buffer.from(part)
    size += chunk.length
    if (size > MAX_BODY) throw new Error(`The body is larger than ${MAX_BODY} bytes.`)
    chunks.push(chunk)
  }
  return JSON.parse(Buffer.concat(chunks).toString('utf8') || 'null')
}

async function listMessages(room: Room, _parts: readonly string[], url: URL): Promise<Reply> {
  const query = url.searchParams
  const found = room.store.list({
    to: query.get('to') ?? undefined,
    after: Number(query.get('after') ?? 0),
    limit: query.has('limit') ? Number(query.get('limit')) : undefined,
    newest: query.get('newest') === 'true',
  })
  const isBrief = query.get('raw') === 'false'
  const messages = await Promise.all(
    found.map(async ({ id, at, envelope, subject }) => ({
      id,
      at,
      envelope,
      subject,
      ...(isBrief ? {} : { raw: (await room.store.source(id)).toString('utf8') }),
    })),
  )
  return json({ messages })
}

async function clearMessages(room: Room): Promise<Reply> {
  await room.store.clear()
  return json({ messages: [] })
}

async function oneMessage(room: Room, [id]: readonly string[]): Promise<Reply> {
  const found = room.store.find(Number(id))
  if (!found) return problem(404, `There is no message ${id}.`)
  const { at, envelope, subject } = found
  return json({ id: found.id, at, envelope, subject, raw: (await room.store.source(found.id)).toString('utf8') })
}

async function sourceFile(room: Room, [id]: readonly string[]): Promise<Reply> {
  if (!room.store.find(Number(id))) return problem(404, `There is no message ${id}.`)
  return { status: 200, type: 'message/rfc822', body: await room.store.source(Number(id)), file: `message-${id}.eml` }
}

/** A mailbox in mbox form, "mboxrd" (RFC 4155 names the default format; lines that begin with From are quoted). */
async function mboxFile(room: Room, [address]: readonly string[]): Promise<Reply> {
  const parts: string[] = []
  for (const { id, at, envelope } of room.store.list({ to: address })) {
    const source = (await room.store.source(id))
      .toString('utf8')
      .replaceAll('\r\n', '\n')
      .replaceAll(/^(>*From )/gm, '>$1')
    parts.push(`From ${envelope.from || 'MAILER-DAEMON'} ${new Date(at).toUTCString()}\n${source}\n`)
  }
  return { status: 200, type: 'application/mbox', body: parts.join('\n'), file: 'mailbox.mbox' }
}

async function putFaults(room: Room, _parts: readonly string[], _url: URL, body: () => Promise<unknown>): Promise<Reply> {
  const faults = readFaults(await body())
  if (typeof faults === 'string') return problem(422, faults)
  await room.setFaults(faults)
  return json(room.faults)
}
