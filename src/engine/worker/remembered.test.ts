import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import type { Found } from '@/core/changes/put-back'
import { Remembered } from './remembered'

let home: string
beforeEach(async () => {
  home = await mkdtemp(join(tmpdir(), 'rappel-seen-'))
})
afterEach(() => rm(home, { recursive: true, force: true }))

const found = (next: number, ...lives: string[]): Found => ({ is: 'a', next: BigInt(next), lives })

test('what was seen within what may be lost does not count; what was seen before does, and is kept in the home', async () => {
  const remembered = await Remembered.open(home, 60)
  await remembered.note(found(100))
  expect(remembered.compare(found(90))).toBe('as it was')
  await pause(80)
  await remembered.note(found(200))
  expect([remembered.compare(found(100)), remembered.compare(found(99))]).toEqual(['as it was', 'put back'])
  expect(JSON.parse(await readFile(join(home, 'seen.json'), 'utf8'))).toEqual({ is: 'a', next: '100', life: null })
  expect((await Remembered.open(home, 60)).compare(found(99))).toBe('put back')
})

test('a database that fell asleep by what others found is told apart', async () => {
  const remembered = await Remembered.open(home, 0)
  await remembered.note(found(100, 'one'))
  expect([remembered.compare(found(101, 'one')), remembered.compare(found(101, 'one', 'two')), remembered.compare(found(101))]).toEqual(['as it was', 'asleep', 'put back'])
})

test('what the home keeps may be nonsense, another’s, or not to be written', async () => {
  for (const text of ['', '{', '[]', '{"is":"a","next":"-1"}', '{"is":"a","next":100}', '{"is":1,"next":"100"}']) {
    await writeFile(join(home, 'seen.json'), text)
    expect((await Remembered.open(home)).seen).toBeNull()
  }
  const nowhere = await Remembered.open(join(home, 'nowhere'), 0)
  await nowhere.note(found(100))
  expect(nowhere.compare(found(99))).toBe('put back')
  expect((await Remembered.open(undefined)).seen).toBeNull()
})
