import { expect, test } from '@playwright/test'
import { api, BASE, POST_ROOM, putFaults, secret } from './installation'
import { MAREN } from './people'

/** What programs elsewhere rely on: each call of the API answers with the members that docs/api.md names, in these shapes. */
const get = async (path: string) => {
  const { status, body } = await api('GET', `/api/v1${path}`)
  expect([path, status]).toEqual([path, 200])
  return body as unknown as Record<string, never>
}
const first = (body: Record<string, never>, list: string) => (body[list] as unknown as Record<string, unknown>[])[0] as Record<string, unknown>
const keys = (object: object) => Object.keys(object)
const ISO = /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}:\d{2}/

test('health tells what it says without a token, and no more', async () => {
  const response = await fetch(`${BASE}/api/v1/health`)
  expect(response.status).toBe(200)
  const health = (await response.json()) as Record<string, unknown>
  for (const member of ['ok', 'database', 'worker', 'mail', 'backlog']) expect(health).toHaveProperty(member)
  expect(JSON.stringify(health)).not.toContain(secret('api-token'))
})

test('tables, records and changes', async () => {
  const table = ((await get('/tables')).tables as unknown as Record<string, unknown>[]).find((t) => t.name === 'claims')
  expect(table).toMatchObject({ label: 'Claims', singular: 'claim', titleField: 'number', ownerField: 'owner' })
  expect((table as { fields: object[] }).fields.find((f) => (f as { name: string }).name === 'status')).toMatchObject({
    label: 'Status',
    type: 'choice',
    choices: expect.any(Array),
    default: 'New',
  })

  const where = encodeURIComponent(JSON.stringify({ all: [{ field: 'amount', op: 'at least', value: 100 }] }))
  const page = (await get(`/records/claims?where=${where}&order=-amount&limit=3`)) as unknown as { records: { id: number; amount: number }[]; next: unknown }
  expect(page.records).toHaveLength(3)
  expect(page.records.map((r) => r.amount)).toEqual([...page.records.map((r) => r.amount)].sort((a, b) => b - a))
  const after = (await get(`/records/claims?where=${where}&order=-amount&limit=3&after=${encodeURIComponent(String(page.next))}`)) as unknown as typeof page
  expect(after.records.some((r) => page.records.some((p) => p.id === r.id))).toBe(false)

  const made = await api('POST', '/api/v1/records/claims', { kind: 'Delay', amount: '12.50', due: '2026-03-03', owner: null })
  expect([made.status, made.body]).toEqual([201, expect.objectContaining({ id: expect.any(Number), kind: 'Delay', amount: 12.5, due: '2026-03-03', owner: null, status: 'New' })])
  const id = made.body.id as unknown as number
  expect((await api('PATCH', `/api/v1/records/claims/${id}`, { status: 'Closed' })).body).toMatchObject({ id, status: 'Closed' })
  expect((await api('PATCH', '/api/v1/records/claims', { ids: [id], set: { amount: 13 } })).body).toMatchObject({ changed: 1 })
  expect((await api('DELETE', `/api/v1/records/claims/${id}`)).status).toBe(204)
  const { changes } = (await get(`/changes?table=claims&record=${id}`)) as unknown as { changes: Record<string, { status?: string; amount?: number } & string>[] }
  expect(changes.map((c) => c.kind)).toEqual(['created', 'changed', 'changed', 'deleted'])
  expect(changes[1]).toMatchObject({ table: 'claims', record: id, before: { status: 'New', amount: 12.5 }, after: { status: 'Closed', amount: 12.5 }, changed: ['status'] })
  expect(changes.every((c) => ISO.test(c.at as string))).toBe(true)
})

test('a workflow from its first draft to its end', async () => {
  const name = 'By contract'
  const path = `/api/v1/workflows/${encodeURIComponent(name)}`
  const document = {
    rappel: 'workflow/1',
    table: 'claims',
    cue: { kind: 'record', on: ['created'] },
    conditions: { field: 'kind', op: 'is', value: 'Baggage' },
    actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: '{{ claim.number }}', body: '<p>{{ claim.amount }}</p>' }],
  }
  const faulty = await api('PUT', path, { ...document, actions: [{ ...document.actions[0], body: '{{ claim.nothing }}' }] })
  expect([faulty.status, first(faulty.body, 'review')]).toEqual([200, { level: 'error', code: 'unknown placeholder', path: '/actions/0/body', message: expect.any(String) }])
  const refused = await api('POST', `${path}/live`)
  expect([refused.status, first(refused.body, 'review')]).toMatchObject([409, { level: 'error' }])
  expect((await api('PUT', path, { ...document, cue: { kind: 'never' } })).status).toBe(422)
  expect((await api('PUT', path, document)).body).toMatchObject({ review: [] })
  expect((await api('GET', path)).body).toMatchObject({ name, state: 'draft', version: null, live: null, draft: { table: 'claims', name } })
  expect((await api('POST', `${path}/live`)).status).toBe(200)
  expect((await api('GET', path)).body).toMatchObject({ state: 'live', version: 1, live: { conditions: document.conditions } })
  expect(((await get('/workflows')).workflows as unknown as { name: string }[]).some((w) => w.name === name)).toBe(true)
  expect((await api('POST', `${path}/pause`)).status).toBe(200)
  expect((await api('GET', path)).body.state).toBe('paused')
  expect((await api('POST', `${path}/resume`)).status).toBe(200)
  expect((await api('GET', path)).body).toMatchObject({ state: 'live', version: 1 })
  expect((await api('DELETE', path)).status).toBe(204)
  expect((await api('GET', path)).status).toBe(404)
})

test('try, rehearse and why answer in full', async () => {
  const { people } = (await get('/people')) as unknown as { people: { id: number; email: string }[] }
  const owner = people.find((p) => p.email === MAREN)?.id
  const workflow = {
    rappel: 'workflow/1',
    name: 'Tried by contract',
    table: 'claims',
    cue: { kind: 'record', on: ['created', 'changed'] },
    conditions: { all: [{ field: 'status', op: 'changed to', value: null }] },
    actions: [
      {
        name: 'tell',
        do: 'email',
        to: [{ field: 'owner' }],
        cc: [{ address: 'cc@quay.example' }],
        subject: 'S',
        body: '<p>Dear <b>{{ claim.owner.first_name }}</b></p>',
        priority: 'high',
      },
      { name: 'close', do: 'update', set: { status: 'Closed', due: null } },
      { name: 'again', do: 'create', table: 'claims', set: { kind: 'Delay' } },
      { name: 'post', do: 'notice', channel: 'Quays', title: 'T', text: 'N' },
      { name: 'look', do: 'task', subject: 'Look', owner: 'owner', due: { today: 1 } },
    ],
  }
  const tried = await api('POST', '/api/v1/try', { workflow, change: { kind: 'changed', before: { kind: 'Delay', status: 'New', owner }, after: { status: null }, by: MAREN } })
  expect(tried.status).toBe(200)
  for (const member of ['fires', 'why', 'clauses', 'messages', 'updates', 'creates', 'notices', 'tasks', 'notes']) expect(tried.body).toHaveProperty(member)
  expect(first(tried.body, 'clauses')).toEqual({ path: '/conditions/all/0', field: 'status', op: 'changed to', value: null, to: null, before: 'New', after: null, holds: true })
  expect(first(tried.body, 'messages')).toMatchObject({
    to: [MAREN],
    cc: ['cc@quay.example'],
    bcc: [],
    replyTo: null,
    subject: 'S',
    html: '<p>Dear <b>Maren</b></p>',
    text: 'Dear Maren',
    headers: { Importance: 'high' },
  })
  expect(first(tried.body, 'updates')).toMatchObject({ table: 'claims', set: { status: 'Closed', due: null } })
  expect(first(tried.body, 'creates')).toMatchObject({ table: 'claims', set: { kind: 'Delay' } })
  expect(first(tried.body, 'notices')).toMatchObject({ channel: 'Quays', title: 'T', text: 'N' })
  expect(first(tried.body, 'tasks')).toMatchObject({ subject: 'Look', owner: MAREN, due: expect.stringMatching(/^\d{4}-\d{2}-\d{2}$/) })

  const rehearsed = await api('POST', '/api/v1/rehearse', { workflow, days: 30, samples: 2 })
  expect(rehearsed.status).toBe(200)
  for (const member of ['changes', 'survivors', 'firings', 'messages', 'byDay', 'byRecipient', 'nobody', 'blanks', 'repeats', 'samples'])
    expect(rehearsed.body).toHaveProperty(member)
  expect(keys(first(rehearsed.body, 'survivors'))).toEqual(expect.arrayContaining(['path', 'count']))

  const run = first(await get('/runs?workflow=Sailing cancelled&limit=1'), 'runs')
  const why = await api('POST', '/api/v1/why', { workflow: 'Sailing cancelled', change: run.change })
  expect([why.status, why.body]).toMatchObject([200, { fires: true, clauses: expect.any(Array), messages: expect.any(Array) }])
})

test('runs and messages, people and groups, templates', async () => {
  const run = first(await get('/runs?limit=1'), 'runs')
  expect(await get(`/runs/${run.id}`)).toMatchObject({ id: run.id, trace: { change: expect.any(Object) } })
  const message = first(await get('/messages?state=sent&limit=1'), 'messages')
  expect(await get(`/messages/${message.id}`)).toMatchObject({ id: message.id, state: 'sent', html: expect.any(String), attempts: expect.any(Array) })
  const eml = await fetch(`${BASE}/api/v1/messages/${message.id}.eml`, { headers: { authorization: `Bearer ${secret('api-token')}` } })
  expect([eml.status, await eml.text()]).toEqual([200, expect.stringContaining(`Message-ID: ${message.message_id}`)])

  const email = 'hanne.dahl@ternsay-ferries.example'
  const person = { name: 'Hanne Dahl', first_name: 'Hanne', last_name: 'Dahl', team: 'Office', manager: MAREN }
  expect((await api('PUT', `/api/v1/people/${email}`, person)).body).toMatchObject({ ...person, email, active: true, id: expect.any(Number) })
  expect((await api('PUT', '/api/v1/groups/By contract', { people: [email], addresses: ['out@side.example'] })).status).toBe(200)
  expect(((await get('/groups')).groups as unknown as { name: string }[]).find((g) => g.name === 'By contract')).toMatchObject({ people: [email], addresses: ['out@side.example'] })

  const template = { table: 'claims', subject: 'S {{ claim.number }}', body: '<p>B</p>', priority: 'low', attachments: [{ field: 'letter' }] }
  expect((await api('PUT', '/api/v1/templates/By contract', template)).body).toMatchObject({ ...template, name: 'By contract', format: 'rich', version: 1 })
  const wrong = await api('PUT', '/api/v1/templates/By contract', { ...template, attachments: [{ field: 'kind' }, { file: 'nothing.pdf' }] })
  expect([wrong.status, (wrong.body.problems as unknown as { path: string }[]).map((p) => p.path)]).toEqual([422, ['/attachments/0/field', '/attachments/1/file']])
})

test('the post room lists what came, in full', async () => {
  const { messages } = (await (await fetch(`${POST_ROOM}/messages?to=${MAREN}`)).json()) as { messages: Record<string, unknown>[] }
  const [message] = messages
  expect(message).toMatchObject({
    id: expect.any(Number),
    at: expect.stringMatching(ISO),
    envelope: { from: expect.any(String), to: expect.any(Array) },
    subject: expect.any(String),
  })
  expect(message?.raw).toMatch(/^[\w-]+: /)
  expect((await fetch(`${POST_ROOM}/mailbox/${MAREN}.mbox`)).status).toBe(200)
  expect((await (await fetch(`${POST_ROOM}/channels/Quays`)).json()) as object).toBeTruthy()
  expect(await putFaults({ refuse: { '*': 250 } })).toBe(422)
  expect((await fetch(`${POST_ROOM}/faults`, { method: 'PUT', body: '{}' })).status).toBe(401)
  expect((await fetch(`${POST_ROOM}/messages`, { method: 'DELETE' })).status).toBe(401)
})
