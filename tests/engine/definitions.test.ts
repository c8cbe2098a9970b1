import { mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { applyDefinitions } from '@/engine/definitions/apply'
import { exportDefinitions, readDefinitions } from '@/engine/definitions/files'
import { planDefinitions } from '@/engine/definitions/plan'
import { examine } from '@/engine/doctor'
import { readSurroundings } from '@/engine/program'
import { one } from '@/store/database'
import { putFigure } from '@/store/figures/definitions'
import { putGroup } from '@/store/people'
import { putSender, putTemplate } from '@/store/templates'
import { listWorkflows, pauseWorkflow, saveDraft } from '@/store/workflows'
import { INES, makeClaims, newClaimWorkflow, RAFI } from '../support/claims'
import { BASE_URL, type Engine, goLive, startEngine } from '../support/engine'

let from: Engine
let to: Engine
let folder: string
beforeEach(async () => {
  from = await startEngine()
  to = await startEngine()
  folder = await mkdtemp(join(tmpdir(), 'rappel-definitions-'))
})
afterEach(async () => {
  await from.stop()
  await to.stop()
  await rm(folder, { recursive: true, force: true })
})

async function fill(): Promise<void> {
  await makeClaims(from.pool)
  await putGroup(from.pool, 'Desk', [RAFI, INES], ['desk@office.example'])
  await putSender(from.pool, { name: 'Alerts', display: 'Office alerts', address: 'alerts@office.example' })
  await putTemplate(from.pool, { name: 'Hello', table: 'claims', subject: 'Claim {{ claim.number }}', body: 'B', format: 'plain', priority: 'normal' }, null)
  await putFigure(from.pool, { rappel: 'figure/1', name: 'open', label: 'Open', table: 'claims', of: { count: true } }, await readSurroundings(from.pool, BASE_URL), new Date())
  await goLive(from, newClaimWorkflow({ actions: [{ name: 'tell', do: 'email', to: [{ group: 'Desk' }], from: { sender: 'Alerts' }, template: 'Hello' }] }))
  await goLive(from, newClaimWorkflow({ name: 'Großes' }))
  await pauseWorkflow(from.pool, 'Großes')
  await saveDraft(from.pool, 'Later', newClaimWorkflow({ name: 'Later' }), null)
}

const all = async (path: string) =>
  new Map(await Promise.all((await readdir(path, { recursive: true })).filter((f) => f.endsWith('.yaml')).map(async (f) => [f, await readFile(join(path, f), 'utf8')] as const)))

test('an installation’s definitions go by files into another, which then has the same files, and nothing is left to do', async () => {
  await fill()
  expect(await exportDefinitions(from.pool, folder)).toBe(8)
  const files = await all(folder)
  expect([...files.keys()].sort()).toEqual([
    'figures/open.yaml',
    'groups/desk.yaml',
    'senders/alerts.yaml',
    'tables/claims.yaml',
    'templates/hello.yaml',
    'workflows/gro-es.yaml',
    'workflows/later.yaml',
    'workflows/new-claim.yaml',
  ])
  expect(files.get('workflows/new-claim.yaml')).toMatch(/^state: live\nrappel: workflow\/1\nname: New claim\n/)
  for (const text of files.values()) expect(text).not.toMatch(/\bid:|20\d\d-\d\d-\d\dT/)

  await makeClaims(to.pool) // the people are there; the rest comes by files
  const { found, problems } = await readDefinitions(folder)
  expect(problems).toEqual([])
  const plan = await planDefinitions(to.pool, found, BASE_URL)
  expect(plan.map((s) => [s.what, s.kind, s.name])).toEqual([
    ['new', 'groups', 'Desk'],
    ['new', 'senders', 'Alerts'],
    ['new', 'figures', 'open'],
    ['new', 'templates', 'Hello'],
    ['new', 'workflows', 'Großes'],
    ['new', 'workflows', 'Later'],
    ['new', 'workflows', 'New claim'],
  ])
  expect(await listWorkflows(to.pool)).toEqual([])
  expect((await applyDefinitions(to.pool, found, BASE_URL)).flatMap((a) => a.problems)).toEqual([])
  expect((await listWorkflows(to.pool)).map((w) => [w.name, w.state]).sort()).toEqual([
    ['Großes', 'paused'],
    ['Later', 'draft'],
    ['New claim', 'live'],
  ])
  expect(await planDefinitions(to.pool, found, BASE_URL)).toEqual([])
  const again = await mkdtemp(join(tmpdir(), 'rappel-definitions-'))
  await exportDefinitions(to.pool, again)
  expect(await all(again)).toEqual(files)
  await rm(again, { recursive: true })
})

test('a plan says what changes in words and what a workflow would have done; what is wrong is said with its file, and one that cannot go live stops no other', async () => {
  await fill()
  await exportDefinitions(from.pool, folder)
  await from.pool.query('insert into data.claims (owner) select id from rappel.person limit 1')
  const path = join(folder, 'workflows/new-claim.yaml')
  const text = await readFile(path, 'utf8')
  await writeFile(path, text.replace('actions:', 'conditions: { field: status, op: is, value: Settled }\nactions:'))
  const groups = join(folder, 'groups/desk.yaml')
  await writeFile(groups, `${await readFile(groups, 'utf8')}`.replace('desk@office.example', 'new@office.example'))
  const read = await readDefinitions(folder)
  const plan = await planDefinitions(from.pool, read.found, BASE_URL)
  expect(plan.map((s) => [s.what, s.name])).toEqual([
    ['changed', 'Desk'],
    ['changed', 'New claim'],
  ])
  expect(plan[0]?.lines.join()).toContain('new@office.example')
  const lines = plan[1]?.lines.join('\n') ?? ''
  expect(lines).toMatch(/^\+ .*Settled/m)
  expect(lines).toMatch(/over the last 30 days it would have fired 0 times, 0 messages; as it is live: 1 time, 2 messages|as it is live: 1 time/)

  await writeFile(path, text.replace('group: Desk', 'group: Nobody knows'))
  const applied = await applyDefinitions(from.pool, (await readDefinitions(folder)).found, BASE_URL)
  expect(applied.map((a) => [a.step.name, a.problems.length])).toEqual([
    ['Desk', 0],
    ['New claim', 1],
  ])
  expect(applied[1]?.problems[0]).toMatch(/Nobody knows/)

  await writeFile(join(folder, 'workflows/broken.yaml'), 'name: [')
  await writeFile(join(folder, 'workflows/shape.yaml'), 'name: Shape\nstate: live\nrappel: workflow/1\nunknown: 1\n')
  await writeFile(join(folder, 'workflows/twice.yaml'), text)
  const { problems } = await readDefinitions(folder)
  expect(problems.join('\n')).toMatch(/workflows\/broken\.yaml \/: this is neither YAML nor JSON/)
  expect(problems.join('\n')).toMatch(/workflows\/shape\.yaml \/[a-z]*: /)
  expect(problems.join('\n')).toMatch(/workflows\/twice\.yaml \/name: another file defines New claim as well/)
})

test('a folder that is not there, or has nothing in it, is no plan in which nothing would change', async () => {
  const nowhere = join(folder, 'nowhere')
  expect((await readDefinitions(nowhere)).problems).toEqual([`${nowhere}: there is no such folder.`])
  expect((await readDefinitions(folder)).problems).toEqual([expect.stringMatching(/: there are no definitions in it, in tables\//)])
  await writeFile(nowhere, '')
  expect((await readDefinitions(nowhere)).problems).toEqual([`${nowhere}: there is no such folder.`])
})

test('a doctor finds what is well, and says what to do about what is not', async () => {
  await makeClaims(from.pool)
  const place = { home: from.folder, smtpUrl: null, smtpPort: from.room.smtpPort }
  process.env.RAPPEL_KEY ??= 'x'
  const before = await examine(from.pool, place)
  const { settings } = await one<{ settings: string[] }>(
    from.pool,
    `select json_agg(name order by name) as settings from pg_settings where name in ('fsync', 'full_page_writes', 'synchronous_commit') and setting = 'off'`,
  )
  // servers of tests are not durable, so that they are fast
  const crash = settings.map(() => expect.stringContaining(`${settings.join(', ')} are off`)).slice(0, 1)
  expect(before.filter((f) => !f.ok).map((f) => f.what)).toEqual([...crash, 'No process runs to decide about changes.', 'No process runs to deliver mail.'])
  await from.startWorker()
  expect((await examine(from.pool, place)).filter((f) => !f.ok).map((f) => f.what)).toEqual(crash)
  await from.pool.query('alter table data.claims disable trigger user')
  const after = await examine(from.pool, { ...place, smtpPort: 1 })
  expect(after.filter((f) => !f.ok).map((f) => f.what)).toEqual([expect.stringMatching(/^Changes of Claims are not recorded/), ...crash, expect.stringMatching(/does not answer/)])
  for (const { ok, todo } of after) expect(ok || todo).toBeTruthy()
})
