import { addPasted } from '@/engine/people/add'
import { readPasted } from '@/engine/people/pasted'
import { many } from '@/store/database'
import { INES, makeClaims, RAFI } from '../support/claims'
import { type Engine, startEngine } from '../support/engine'

/** People come from a spreadsheet: new ones are added, those who are here are changed by what it says, and nobody else. */

let engine: Engine
beforeEach(async () => {
  engine = await startEngine()
  await makeClaims(engine.pool)
})
afterEach(() => engine.stop())

const rows = (...given: readonly (readonly string[])[]) => readPasted(given.map((row) => row.join('\t')).join('\n'))
const people = () =>
  many(engine.pool, 'select p.email, p.name, p.first_name, p.team, m.email as manager, p.role from rappel.person p left join rappel.person m on m.id = p.manager order by p.email')

test('new ones with managers among them or here, by name or address; those who are here keep what the rows do not say', async () => {
  const pasted = rows(
    ['Name', 'E-mail', 'Team', 'Manager'],
    ['Greta Halloran', 'greta@office.example', 'Engineers', 'Idris Penhale'],
    ['Idris Penhale', 'idris@office.example', 'Engineers', INES],
    ['', 'jo.de-vries@office.example', '', ''],
    ['Rafi Demir', RAFI.toUpperCase(), 'Claims', ''],
    ['Ines Okafor', INES, '', ''],
    ['Lost Soul', 'lost@office.example', '', 'Nobody Here'],
  )
  const before = await people()
  const looked = await addPasted(engine.pool, pasted, true)
  expect(looked.people.map(({ email, is }) => [email, is])).toEqual([
    ['greta@office.example', 'new'],
    ['idris@office.example', 'new'],
    ['jo.de-vries@office.example', 'new'],
    [RAFI, 'changed'],
    [INES, 'changed'],
    ['lost@office.example', 'new'],
  ])
  expect(looked.problems).toEqual([{ row: 7, message: expect.stringContaining('“Nobody Here” is nobody here') }])
  expect([looked.done, await people()]).toEqual([false, before])
  expect((await addPasted(engine.pool, pasted, false)).done).toBe(true)
  expect(await people()).toEqual([
    { email: 'greta@office.example', name: 'Greta Halloran', first_name: 'Greta', team: 'Engineers', manager: 'idris@office.example', role: null },
    { email: 'idris@office.example', name: 'Idris Penhale', first_name: 'Idris', team: 'Engineers', manager: INES, role: null },
    { email: INES, name: 'Ines Okafor', first_name: 'Ines', team: 'Claims', manager: null, role: 'editor' },
    { email: 'jo.de-vries@office.example', name: 'Jo De Vries', first_name: 'Jo', team: null, manager: null, role: null },
    { email: 'lost@office.example', name: 'Lost Soul', first_name: 'Lost', team: null, manager: null, role: null },
    { email: RAFI, name: 'Rafi Demir', first_name: 'Rafi', team: 'Claims', manager: INES, role: 'member' },
  ])
  const again = await addPasted(engine.pool, pasted, false)
  expect(again.people.map((p) => p.is)).toEqual(again.people.map(() => 'same'))
})

test('a name that several have says nobody as a manager', async () => {
  const pasted = rows(['Name', 'E-mail', 'Manager'], ['Jo Blake', 'jo1@office.example', ''], ['Jo Blake', 'jo2@office.example', ''], ['Kim', 'kim@office.example', 'Jo Blake'])
  const { problems } = await addPasted(engine.pool, pasted, false)
  expect(problems.map((p) => p.row)).toEqual([4])
  expect((await people()).find((p) => JSON.stringify(p).includes('kim@'))).toMatchObject({ manager: null })
})
