import { execFileSync } from 'node:child_process'
import { expect, test } from '@playwright/test'
import { api, BASE, POST_ROOM, secret } from './installation'
import { MAREN, RAFI, sessionOf, signIn } from './people'

const created = {
  name: 'API check',
  rappel: 'workflow/1',
  table: 'claims',
  cue: { kind: 'record', on: ['created'] },
  actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: '{{ claim.number }}', body: 'x' }],
}

test('a session’s cookie does not count for calls from other sites', async ({ playwright }) => {
  const session = await sessionOf(playwright, MAREN)
  const response = await session.post('/api/v1/records/claims', { data: { kind: 'Refund' }, headers: { origin: 'http://evil.example' } })
  expect(response.status()).toBe(403)
})

/** How many changes the log holds. */
const changes = () => execFileSync('psql', [secret('database-url'), '-Atc', 'select count(*) from rappel.change'], { encoding: 'utf8' })

test.describe('bad input is answered with a problem document and changes nothing', () => {
  const cases: [name: string, method: string, path: string, body: unknown, status: number, says: RegExp][] = [
    ['an unknown field', 'POST', '/api/v1/records/claims', { kind: 'Refund', shoe: 1 }, 422, /no field \\"shoe\\"/],
    ['a wrong type', 'POST', '/api/v1/records/claims', { kind: 'Refund', amount: 'much' }, 422, /Amount takes a number/],
    ['a value that is no choice', 'POST', '/api/v1/records/claims', { kind: 'Other' }, 422, /Kind is one of/],
    ['a missing required field', 'POST', '/api/v1/records/claims', {}, 422, /Kind must be filled/],
    ['a link to nothing', 'POST', '/api/v1/records/claims', { kind: 'Refund', passenger: 99999999 }, 422, /does not exist/],
    ['malformed JSON', 'POST', '/api/v1/records/claims', '{"kind":', 400, /not JSON/],
    ['a body that is too large', 'POST', '/api/v1/records/claims', JSON.stringify({ kind: 'x'.repeat(2_100_000) }), 413, /larger than/],
    ['an unknown table', 'GET', '/api/v1/records/clams', undefined, 404, /no table/],
    ['a filter that is not one', 'GET', `/api/v1/records/claims?where=${encodeURIComponent('{"field":"kind","op":"equals"}')}`, undefined, 422, /op/],
    ['a mass edit of nothing named', 'PATCH', '/api/v1/records/claims', { set: { status: 'Closed' } }, 422, /which records/],
    ['a workflow of the wrong shape', 'PUT', '/api/v1/workflows/x', { ...created, cue: { kind: 'record', on: [] } }, 422, /cue\/on/],
    ['a try that cannot run', 'POST', '/api/v1/try', { workflow: { ...created, actions: [] }, change: { kind: 'created' } }, 422, /does nothing yet/],
    ['a try with a value that does not fit', 'POST', '/api/v1/try', { workflow: created, change: { kind: 'created', after: { amount: 'much' } } }, 422, /change\/after\/amount/],
    [
      'a table that links to none',
      'PUT',
      '/api/v1/tables/shoes',
      { label: 'Shoes', singular: 'shoe', titleField: 'name', fields: [{ name: 'name', label: 'N', type: 'link', table: 'feet' }] },
      422,
      /no table/,
    ],
    ['a person with a faulty address', 'PUT', '/api/v1/people/not-an-address', { name: 'X' }, 422, /not an e-mail address/],
    ['a group of strangers', 'PUT', '/api/v1/groups/G', { people: ['x@y.example'] }, 422, /Nobody here/],
  ]
  for (const [name, method, path, body, status, says] of cases)
    test(name, async () => {
      const before = changes()
      const answer = await api(method, path, body)
      expect(answer.status).toBe(status)
      expect(JSON.stringify(answer.body)).toMatch(says)
      expect(answer.body).toMatchObject({ status, title: expect.any(String), detail: expect.any(String) })
      expect(changes()).toBe(before)
    })
})

test('a table is made, changed, used and listed', async () => {
  const definition = {
    label: 'Buoys',
    singular: 'buoy',
    titleField: 'name',
    ownerField: 'keeper',
    fields: [
      { name: 'name', label: 'Name', type: 'text', number: 'BU-{000}' },
      { name: 'keeper', label: 'Keeper', type: 'person' },
    ],
  }
  expect((await api('PUT', '/api/v1/tables/buoys', definition)).status).toBe(200)
  const first = (await api('POST', '/api/v1/records/buoys', {})).body as unknown as { id: number; name: string }
  expect(first.name).toBe('BU-001')
  const more = { ...definition, fields: [{ name: 'depth', label: 'Depth', type: 'number', default: 3 }] }
  expect((await api('PUT', '/api/v1/tables/buoys', { ...more, fields: [...definition.fields, ...more.fields] })).body.fields).toHaveLength(3)
  const { body } = await api('PATCH', `/api/v1/records/buoys/${first.id}`, { depth: '12345678901234567.5' })
  expect(body.depth).toBe('12345678901234567.5')
  const changes = (await api('GET', '/api/v1/changes?table=buoys')).body.changes as unknown as { kind: string; by: object; changed: string[] }[]
  expect(changes.map((c) => [c.kind, c.changed])).toEqual([
    ['created', ['name']],
    ['changed', ['depth']],
  ])
  expect(changes[0]?.by).toEqual({ kind: 'token', person: null, name: 'this machine' })
})

test('mass edit is one transaction and each record’s change is captured', async () => {
  const { records } = (await api('GET', '/api/v1/records/tasks?limit=5')).body as unknown as { records: { id: number }[] }
  const ids = records.map((r) => r.id)
  expect((await api('PATCH', '/api/v1/records/tasks', { ids, set: { note: 'checked' } })).body).toMatchObject({ changed: 5, unchanged: 0 })
  expect((await api('PATCH', '/api/v1/records/tasks', { where: { all: [{ field: 'note', op: 'is', value: 'CHECKED' }] }, set: { note: null } })).body).toMatchObject({
    changed: 5,
    unchanged: 0,
  })
})

test('records page by id, and by order', async () => {
  const page = async (query: string) => (await api('GET', `/api/v1/records/sailings?limit=2${query}`)).body as unknown as { records: { id: number }[]; next: string }
  const first = await page('')
  const second = await page(`&after=${first.next}`)
  expect([...first.records, ...second.records].map((r) => r.id)).toEqual([1, 2, 3, 4])
  const sorted = await page('&order=-id')
  expect((await page(`&order=-id&after=${sorted.next}`)).records[0]?.id).toBe((sorted.records[1]?.id as number) - 1)
})

test('a dry run says what would be sent, clause by clause, and sends nothing', async () => {
  const workflow = {
    ...created,
    conditions: { all: [{ field: 'amount', op: 'at least', value: 100 }] },
    actions: [{ ...created.actions[0], body: 'Dear {{ claim.owner.first_name }}' }],
  }
  const people = (await api('GET', '/api/v1/people')).body.people as unknown as { id: number; email: string }[]
  const owner = people.find((p) => p.email === RAFI)?.id
  const { body } = await api('POST', '/api/v1/try', { workflow, change: { kind: 'created', after: { amount: 150, owner, number: 'CL-X' }, by: MAREN } })
  expect(body).toMatchObject({
    fires: true,
    clauses: [{ path: '/conditions/all/0', field: 'amount', op: 'at least', value: 100, before: null, after: 150, holds: true }],
    messages: [{ to: [RAFI], subject: 'CL-X', text: 'Dear Rafi', from: { address: 'alerts@ternsay-ferries.example' }, headers: { 'Auto-Submitted': 'auto-generated' } }],
    updates: [],
  })
  expect((await api('POST', '/api/v1/try', { workflow, change: { kind: 'changed', before: { amount: 150 }, after: {} } })).body).toMatchObject({ fires: false, messages: [] })
})

test('a workflow is saved with its review, refused while it cannot run, put live, paused, resumed and deleted', async () => {
  const path = '/api/v1/workflows/API%20check'
  const broken = { ...created, actions: [{ ...created.actions[0], to: [] }] }
  expect((await api('PUT', path, broken)).body.review).toEqual([expect.objectContaining({ level: 'error', code: 'no recipient', path: '/actions/0/to' })])
  const refused = await api('POST', `${path}/live`)
  expect([refused.status, refused.body.review]).toEqual([409, [expect.objectContaining({ code: 'no recipient' })]])
  expect((await api('PUT', path, created)).body.review).toEqual([])
  expect((await api('POST', `${path}/live`)).body).toMatchObject({ state: 'live', version: 1, live: created })
  expect((await api('PUT', `${path}?new`, created)).status).toBe(409)
  expect((await api('POST', `${path}/pause`)).body.state).toBe('paused')
  expect((await api('POST', `${path}/pause`)).status).toBe(409)
  expect((await api('POST', `${path}/resume`)).body).toMatchObject({ state: 'live', version: 1 })
  expect((await api('DELETE', path)).status).toBe(204)
  expect((await api('GET', path)).status).toBe(404)
})

test('messages come with their source, and the post room lists what arrived', async () => {
  const { messages } = (await api('GET', '/api/v1/messages?state=sent&limit=1')).body as unknown as { messages: { id: number; message_id: string }[] }
  const response = await fetch(`${BASE}/api/v1/messages/${messages[0]?.id}.eml`, { headers: { authorization: `Bearer ${secret('api-token')}` } })
  expect(await response.text()).toContain(messages[0]?.message_id as string)
  const arrived = await (await fetch(`${POST_ROOM}/messages?after=0&limit=2`)).json()
  expect(arrived.messages[0]).toEqual({
    id: 1,
    at: expect.any(String),
    envelope: { from: expect.any(String), to: expect.any(Array) },
    subject: expect.any(String),
    raw: expect.stringContaining('Message-ID:'),
  })
})

test('what is kept under a name has one, and no longer one than names may be', async () => {
  expect((await api('PUT', '/api/v1/groups/%20', { people: [], addresses: [] })).status).toBe(422)
  expect((await api('PUT', `/api/v1/groups/${'g'.repeat(201)}`, { people: [], addresses: [] })).status).toBe(422)
})

test('records whose ids are texts are made, opened, changed, listed and told of under them', async ({ page }) => {
  await signIn(page)
  const marks = { label: 'Marks', singular: 'mark', titleField: 'name', key: 'text', fields: [{ name: 'name', label: 'Name', type: 'text' }] }
  expect((await api('PUT', '/api/v1/tables/marks', marks)).status).toBe(200)
  expect((await api('PUT', '/api/v1/tables/marks', { ...marks, key: 'uuid' })).body).toMatchObject({ problems: [{ path: '/key' }] })
  await page.goto('/records/marks/new')
  await page.getByLabel('Id', { exact: true }).fill('N/7 “Ä”?')
  await page.getByLabel('Name', { exact: true }).fill('Outer mark')
  await page.getByRole('button', { name: 'Add the mark' }).click()
  await expect(page.getByRole('heading', { name: 'Outer mark' })).toBeVisible()
  expect(page.url()).toContain(`/records/marks/${encodeURIComponent('N/7 “Ä”?')}`)
  const path = `/api/v1/records/marks/${encodeURIComponent('N/7 “Ä”?')}`
  expect((await api('PATCH', path, { name: 'Inner mark' })).body).toMatchObject({ id: 'N/7 “Ä”?', name: 'Inner mark' })
  expect((await api('GET', `/api/v1/changes?table=marks&record=${encodeURIComponent('N/7 “Ä”?')}`)).body).toMatchObject({
    changes: [
      { kind: 'created', record: 'N/7 “Ä”?' },
      { kind: 'changed', record: 'N/7 “Ä”?' },
    ],
  })
  await page.goto('/records/marks')
  await page.getByRole('link', { name: 'Inner mark' }).click()
  await expect(page.getByRole('heading', { name: 'Inner mark' })).toBeVisible()
  expect((await api('POST', '/api/v1/records/marks', { id: 'N/7 “Ä”?', name: 'Twice' })).status).toBe(409)
  expect((await api('GET', '/api/v1/records/marks?limit=1')).body).toMatchObject({ records: [{ id: 'N/7 “Ä”?' }], next: 'N/7 “Ä”?' })

  expect((await api('POST', '/api/v1/records/marks', { id: 'B&C#2 50%', name: 'Outer buoy' })).status).toBe(201)
  const action = { name: 'tell', do: 'email', to: [{ address: 'd@x.example' }], subject: '{{ mark.name }}', body: 'B', format: 'plain' }
  const cue = { kind: 'record', on: ['changed'] }
  expect((await api('PUT', '/api/v1/workflows/Marks%20moved', { rappel: 'workflow/1', name: 'Marks moved', table: 'marks', cue, actions: [action] })).status).toBe(200)
  await page.goto(`/workflows/Marks%20moved/dry-run?record=${encodeURIComponent('N/7 “Ä”?')}`)
  await page.getByRole('button', { name: 'Record', exact: true }).filter({ hasText: 'Inner mark' }).click()
  await page.getByRole('option', { name: 'Outer buoy' }).click()
  await expect(page.getByRole('button', { name: 'Record', exact: true })).toHaveText('Outer buoy')
  await api('DELETE', '/api/v1/workflows/Marks%20moved')
})

test('a call with a key of its own is done once, also where it comes several times at the same moment', async () => {
  const create = async (key: string, subject: string) => {
    const headers = { authorization: `Bearer ${secret('api-token')}`, 'content-type': 'application/json', 'idempotency-key': key }
    const response = await fetch(`${BASE}/api/v1/records/tasks`, { method: 'POST', headers, body: JSON.stringify({ subject }) })
    return { status: response.status, body: (await response.json()) as { id?: number; detail?: string } }
  }
  const key = crypto.randomUUID()
  const answers = await Promise.all(Array.from({ length: 5 }, () => create(key, 'Once only')))
  expect(answers.map((a) => a.status)).toEqual([201, 201, 201, 201, 201])
  expect(new Set(answers.map((a) => a.body.id)).size).toBe(1)
  const found = await api('GET', `/api/v1/records/tasks?count&where=${encodeURIComponent('{"field":"subject","op":"is","value":"Once only"}')}`)
  expect(found.body.count).toBe(1)
  expect(await create(key, 'Another')).toMatchObject({ status: 409, body: { detail: expect.stringContaining('another call') } })
  expect((await create('with space', 'x')).status).toBe(422)
  expect((await create(crypto.randomUUID(), 'Once only')).status).toBe(201)
})
