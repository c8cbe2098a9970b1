import { createServer, type IncomingMessage } from 'node:http'
import type { AddressInfo } from 'node:net'

type Noter = (request: IncomingMessage) => void

/** What the web server notes on a request that comes with headers, over a real connection. */
async function noted(trusted: string | undefined, headers: Record<string, string>): Promise<IncomingMessage['headers']> {
  const { callerNoter } = (await import('../../scripts/lib/caller.mjs' as string)) as { callerNoter: (trusted: string | undefined) => Noter }
  const note = callerNoter(trusted)
  const server = createServer((request, response) => {
    note(request)
    response.end(JSON.stringify(request.headers))
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const response = await fetch(`http://127.0.0.1:${(server.address() as AddressInfo).port}/`, { headers })
  const seen = (await response.json()) as IncomingMessage['headers']
  await new Promise((resolve) => server.close(resolve))
  return seen
}

const SAID = {
  'x-forwarded-for': '203.0.113.1, 10.0.0.7',
  forwarded: 'for=203.0.113.1',
  'x-real-ip': '203.0.113.1',
  'x-rappel-caller': '203.0.113.1',
  'x-middleware-subrequest': 'proxy',
}

test('nothing that a request says of itself is believed, or even passed on', async () => {
  const seen = await noted(undefined, SAID)
  expect(seen['x-rappel-caller']).toBe('127.0.0.1')
  for (const name of Object.keys(SAID).filter((n) => n !== 'x-rappel-caller')) expect([name, seen[name]]).toEqual([name, undefined])
})

test('a trusted proxy is believed as far as the next one that is not trusted', async () => {
  expect((await noted('loopback', SAID))['x-rappel-caller']).toBe('10.0.0.7')
  expect((await noted('loopback, 10.0.0.0/8', SAID))['x-rappel-caller']).toBe('203.0.113.1')
  expect((await noted('192.0.2.0/24', SAID))['x-rappel-caller']).toBe('127.0.0.1')
})

test('what is no address is said at the start', async () => {
  await expect(noted('everybody', {})).rejects.toThrow(/everybody/)
})
