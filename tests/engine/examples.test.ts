import type { Example } from '@/core/document/document'
import { readWorkflow } from '@/core/document/schema'
import { runExamples } from '@/engine/examples'
import { readSurroundings } from '@/engine/program'
import { touch } from '@/store/database'
import { putGroup, putPerson } from '@/store/people'
import { INES, makeClaims, newClaimWorkflow, RAFI } from '../support/claims'
import { freshDatabase } from '../support/database'
import { BASE_URL } from '../support/engine'

let db: Awaited<ReturnType<typeof freshDatabase>>
let people: Awaited<ReturnType<typeof makeClaims>>
beforeEach(async () => {
  db = await freshDatabase()
  people = await makeClaims(db.pool)
})
afterEach(() => db.drop())

async function run(examples: Example[], parts: Parameters<typeof newClaimWorkflow>[0] = {}) {
  return (await runExamples(db.pool, newClaimWorkflow({ ...parts, examples }), await readSurroundings(db.pool, BASE_URL))).map(({ name, passes, shortfalls }) => ({
    name,
    passes,
    shortfalls,
  }))
}

test('an example passes while the workflow does what it expects, and says what falls short when it does not', async () => {
  const created: Example = {
    name: 'a new claim',
    change: { kind: 'created', after: { number: 'CL-7', owner: people.ines } },
    expect: { fires: true, to: [INES], subject: 'CL-7', bodyHas: ['Dear Ines'] },
  }
  const passing = [{ name: 'a new claim', passes: true, shortfalls: [] }]
  expect(await run([created])).toEqual(passing)
  expect(await run([created], { conditions: { all: [{ field: 'status', op: 'is', value: 'New' }] } })).toEqual([
    { name: 'a new claim', passes: false, shortfalls: ['It does not fire: The claim was created, but the conditions do not hold.'] },
  ])
  expect(await run([created], { actions: [{ name: 'tell', do: 'email', to: [{ address: RAFI }], subject: 'S', body: 'B' }] })).toMatchObject([
    {
      shortfalls: [`Nothing goes to ${INES}.`, `It goes to ${RAFI} too, which was not expected.`, 'No subject contains “CL-7”; the first is “S”.', 'No body contains “Dear Ines”.'],
    },
  ])
})

test('an example sees people, groups and suppressed addresses as they were when it was kept, and its own clock', async () => {
  await putGroup(db.pool, 'Desk', [INES, RAFI], ['desk@office.example'])
  await touch(db.pool, `insert into rappel.suppression (address, reason) values ('gone@office.example', '550')`)
  await new Promise((resolve) => setTimeout(resolve, 20))
  const kept = new Date().toISOString()
  await new Promise((resolve) => setTimeout(resolve, 20))
  const example: Example = {
    name: 'the desk',
    change: { kind: 'created', after: { owner: people.rafi, due: kept.slice(0, 10), contact_email: 'new@office.example' } },
    asOf: kept,
    saw: { groups: { Desk: { people: [INES, RAFI], addresses: ['desk@office.example'] } }, suppressed: ['gone@office.example'] },
    expect: { fires: true, to: [INES, RAFI, 'desk@office.example', 'new@office.example'], subject: 'Rafi of Quays' },
  }
  const parts: Parameters<typeof newClaimWorkflow>[0] = {
    conditions: { all: [{ field: 'due', op: 'is', value: { today: 0 } }] },
    actions: [
      {
        name: 'tell',
        do: 'email',
        to: [{ group: 'Desk' }, { field: 'contact_email' }, { address: 'gone@office.example' }],
        subject: '{{ claim.owner.first_name }} of {{ claim.owner.team }}',
        body: 'B',
      },
    ],
  }
  const passes = [{ name: 'the desk', passes: true, shortfalls: [] }]
  expect(await run([example], parts)).toEqual(passes)
  await putPerson(db.pool, RAFI, { name: 'Rafi D.', first_name: 'Raphael', team: 'Office', active: false })
  await putGroup(db.pool, 'Desk', [INES], [])
  await touch(db.pool, `insert into rappel.suppression (address, reason) values ('new@office.example', '550'), ('desk@office.example', '550')`)
  expect(await run([example], parts)).toEqual(passes)
  const { asOf: _, saw: __, ...thawed } = example
  expect((await run([thawed], parts))[0]?.shortfalls).toEqual(
    expect.arrayContaining([`Nothing goes to ${RAFI}.`, 'Nothing goes to desk@office.example.', 'Nothing goes to new@office.example.']),
  )
})

test('an example with values that do not fit, or a run that would fail, fails in words', async () => {
  const change = { kind: 'created' as const, after: { amount: 'much', nothing: 1 }, by: 'nobody@office.example' }
  const [wrong] = await run([{ name: 'wrong', change, expect: { fires: true } }])
  expect(wrong).toMatchObject({ passes: false })
  expect(wrong?.shortfalls.join(' ')).toMatch(/Amount takes a number.*no field "nothing".*nobody@office.example/s)
  const loop = '{% for i in (1..100000) %}{% for j in (1..100000) %}x{% endfor %}{% endfor %}'
  const endless = { name: 'endless', change: { kind: 'created' as const, after: { owner: people.ines } }, expect: { fires: true } }
  const [failed] = await run([endless], { actions: [{ name: 'tell', do: 'email', to: [{ field: 'owner' }], subject: 'S', body: loop }] })
  expect(failed?.shortfalls[0]).toMatch(/^The run would fail: /)
})

test('the shape of examples is checked, and what is wrong is told where', () => {
  const faulty = { name: '', change: { kind: 'made' }, asOf: 'yesterday', expect: { fires: 'yes', to: 'x' }, extra: 1 }
  const read = readWorkflow({ ...newClaimWorkflow(), examples: [faulty] })
  expect('problems' in read && read.problems.map((p) => p.path).sort()).toEqual([
    '/examples/0',
    '/examples/0/asOf',
    '/examples/0/change/kind',
    '/examples/0/expect/fires',
    '/examples/0/expect/to',
    '/examples/0/name',
  ])
})
