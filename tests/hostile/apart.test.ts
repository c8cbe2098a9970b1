import { Apart } from '@/engine/apart/apart'
import { isTooMuch } from '@/engine/apart/too-much'
import { isFaultOfData } from '@/store/problems'
import { CLAIMS, makeClaims, newClaimWorkflow } from '../support/claims'
import { freshDatabase } from '../support/database'
import { BASE_URL } from '../support/engine'

let db: Awaited<ReturnType<typeof freshDatabase>>
let apart: Apart
beforeEach(async () => {
  db = await freshDatabase()
  await makeClaims(db.pool)
  apart = new Apart({ databaseUrl: db.url, baseUrl: BASE_URL, processes: 1, memory: 150 })
})
afterEach(async () => {
  apart.close()
  await db.drop()
})

const asked = { asked: { change: { kind: 'created', after: { amount: 5 } } }, setting: { by: { kind: 'system' as const, person: null, name: 'test' }, at: new Date() }, asOf: null }
const tried = (workflow = newClaimWorkflow({ actions: [{ name: 'tell', do: 'email', to: [{ address: 'a@x.example' }], subject: '{{ claim.amount }}', body: 'B' }] })) =>
  apart.run('try', { workflow, ...asked })

test('what is asked comes back as it went, and errors with their sentence', async () => {
  const answer = await tried()
  expect('plan' in answer && answer.plan.messages[0]?.subject).toBe('£5.00')
  expect(await apart.run('import', { text: '[[' })).toEqual({ problems: [expect.objectContaining({ message: expect.stringContaining('neither JSON nor YAML') })] })
  await expect(apart.run('try', { workflow: newClaimWorkflow({ table: 'gone' }), ...asked })).rejects.toThrow('There is no table gone.')
})

test('what takes more memory than there is ends its process alone: it is refused, and what was asked beside it is answered', async () => {
  await db.pool.query(`insert into data.claims (note) select repeat(md5(i::text), 30000) from generate_series(1, 400) i`)
  const greedy = newClaimWorkflow({ bringIn: [{ name: 'all', list: CLAIMS.name }], values: [{ name: 'n', formula: 'count(all)' }] })
  const [large, small] = await Promise.allSettled([tried(greedy), tried()])
  expect(large.status === 'rejected' && isTooMuch(large.reason)).toBe(true)
  expect(small.status).toBe('fulfilled')
  expect('plan' in (await tried())).toBe(true)
})

test('what is called off is answered at once, and closing says that nothing was at fault', async () => {
  const abort = new AbortController()
  const called = apart.run('import', { text: 'a: 1' }, { signal: abort.signal })
  abort.abort(new Error('never mind'))
  await expect(called).rejects.toThrow('never mind')
  const waiting = tried()
  apart.close()
  const error = await waiting.then(
    () => null,
    (e: Error) => e,
  )
  expect([error?.name, isFaultOfData(error)]).toEqual(['Closed', false])
  await expect(tried()).rejects.toThrow('stopped before it was done')
})
