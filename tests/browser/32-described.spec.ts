import { execFileSync } from 'node:child_process'
import { expect, test } from '@playwright/test'
import type { Calls } from '@/client/calls'
import { Client, type Given, type Refused } from '@/client/client'
import { BASE, secret } from './installation'

/** The API as it describes itself: each example that stands in it is sent, calls go on condition, and once under a key. */

const client = new Client({ base: BASE, token: secret('api-token') })
const psql = (sql: string) => execFileSync('psql', [secret('database-url'), '-q', '-v', 'ON_ERROR_STOP=1', '-c', sql])

interface Operation {
  readonly parameters: readonly { readonly name: string; readonly in: string; readonly example?: string }[]
  readonly requestBody?: { readonly content: { readonly 'application/json': { readonly example?: unknown } } }
}

/** The calls of the description that have an example, those first that make what others are about. */
async function examples() {
  const { paths } = (await (await fetch(`${BASE}/api/v1/openapi.json`)).json()) as { paths: Record<string, Record<string, Operation>> }
  const all = Object.entries(paths).flatMap(([path, methods]) =>
    Object.entries(methods).flatMap(([method, { parameters, requestBody }]) => {
      const example = requestBody?.content['application/json'].example
      return example === undefined
        ? []
        : [
            {
              call: `${method.toUpperCase()} ${path}` as keyof Calls,
              body: example,
              at: Object.fromEntries(parameters.filter((p) => p.in === 'path').map((p) => [p.name, p.example ?? ''])),
            },
          ]
    }),
  )
  const FIRST = ['PUT /tables/{name}', 'POST /records/{table}', 'PUT /workflows/{name}', 'PUT /people/{email}', 'PUT /figures/{name}']
  const rank = (call: string) => (FIRST.includes(call) ? FIRST.indexOf(call) : /\/rename(-field)?$/.test(call) ? 100 : 50)
  return all.sort((a, b) => rank(a.call) - rank(b.call))
}

test.beforeAll(() => void psql('create schema samples; create table samples.parcel (id serial primary key, label text not null)'))
test.afterAll(async () => {
  const away = async <C extends keyof Calls>(call: C, given: Given<C>) => void (await client.call(call, given).catch(() => undefined))
  await away('DELETE /figures/{name}', { path: { name: 'sample_sum' } })
  await away('DELETE /workflows/{name}', { path: { name: 'Sample' } })
  await away('DELETE /tables/{name}', { path: { name: 'samples' }, query: { anyway: true } })
  await away('POST /tables/{name}/detach', { path: { name: 'parcels' }, query: { anyway: true } })
  await away('DELETE /webhooks/{name}', { path: { name: 'samples' } })
  await away('DELETE /channels/{name}', { path: { name: 'some samples' } })
  await away('DELETE /senders/{name}', { path: { name: 'some samples' } })
  await away('DELETE /groups/{name}', { path: { name: 'Some samples' } })
  await away('DELETE /templates/{name}', { path: { name: 'Some sample' } })
  await away('DELETE /imports/{name}', { path: { name: 'Samples' } })
  psql('drop schema samples cascade')
})

test('every example in the description can be sent', async () => {
  const all = await examples()
  expect(all.length).toBeGreaterThan(30)
  for (const { call, at, body } of all) {
    const answer = await client.call(call, { path: at, body } as never).catch((error: Refused) => error)
    expect([call, answer instanceof Error ? `${answer.message} ${JSON.stringify(answer.problem)}` : 'done']).toEqual([call, 'done'])
  }
})

// Source: RFC 9110, sections 13.1.1 (If-Match, 412) and 13.1.2 (If-None-Match, 304).
test('what was read is changed on condition that it is the same still; what the caller has is not sent again', async () => {
  const path = { name: 'Conditional' }
  await client.call('PUT /groups/{name}', { path, body: { addresses: ['a@office.example'] } })
  const read = await client.call('GET /groups/{name}', { path })
  expect(read.etag).toMatch(/^"[\w-]{22}"$/)
  const again = await fetch(`${BASE}/api/v1/groups/Conditional`, { headers: { authorization: `Bearer ${secret('api-token')}`, 'if-none-match': read.etag ?? '' } })
  expect([again.status, await again.text()]).toEqual([304, ''])
  await client.call('PUT /groups/{name}', { path, body: { addresses: ['b@office.example'] }, ifMatch: read.etag ?? '' })
  const late = client.call('PUT /groups/{name}', { path, body: { addresses: ['c@office.example'] }, ifMatch: read.etag ?? '' })
  await expect(late).rejects.toMatchObject({ status: 412, message: expect.stringContaining('Nothing was overwritten') })
  expect((await client.call('GET /groups/{name}', { path })).body).toMatchObject({ addresses: ['b@office.example'] })
  // two at one moment under the same condition: one is refused
  const now = (await client.call('GET /groups/{name}', { path })).etag ?? ''
  const both = await Promise.allSettled(['d', 'e'].map((who) => client.call('PUT /groups/{name}', { path, body: { addresses: [`${who}@office.example`] }, ifMatch: now })))
  expect(both.map((b) => b.status).sort()).toEqual(['fulfilled', 'rejected'])
  await expect(client.call('PUT /groups/{name}', { path: { name: 'Not there' }, body: {}, ifMatch: now })).rejects.toMatchObject({ status: 412 })
  await expect(client.call('POST /fits', { body: { workflow: {} } as never, ifMatch: now })).rejects.toMatchObject({ status: 412 })
  for (const one of ['GET /tables/{name}', 'GET /templates/{name}', 'GET /people/{email}', 'GET /senders/{name}', 'GET /channels/{name}', 'GET /webhooks/{name}'] as const)
    await expect(client.call(one, { path: { name: 'none such', email: 'none@such.example' } } as never)).rejects.toMatchObject({ status: 404 })
})

// Source: IETF draft “The Idempotency-Key HTTP Header Field”, section 2.
test('what creates something is done once under a key, also where both come at one moment', async () => {
  const upload = (key: string, name = 'once.txt') =>
    fetch(`${BASE}/api/v1/files?name=${name}`, { method: 'POST', headers: { authorization: `Bearer ${secret('api-token')}`, 'idempotency-key': key }, body: 'the same' })
  const answers = await Promise.all([upload('one'), upload('one'), upload('one')])
  expect(answers.map((a) => a.status)).toEqual([201, 201, 201])
  const ids = await Promise.all(answers.map(async (a) => ((await a.json()) as { id: number }).id))
  expect(new Set(ids).size).toBe(1)
  expect((await upload('one', 'other.txt')).status).toBe(409)
  expect(((await (await upload('two')).json()) as { id: number }).id).not.toBe(ids[0])
  await expect(client.call('PUT /groups/{name}', { path: { name: 'Keyed' }, body: {}, key: 'three' })).rejects.toMatchObject({ status: 422 })
})
