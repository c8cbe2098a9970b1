import { mkdtemp, readdir, readFile, rm, stat, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { ensureKey } from '@/store/access/sealed'

const { RAPPEL_KEY, RAPPEL_HOME } = process.env
let home: string
beforeEach(async () => {
  home = await mkdtemp(join(tmpdir(), 'rappel-key-'))
  process.env.RAPPEL_HOME = home
  delete process.env.RAPPEL_KEY
})
afterEach(async () => {
  Object.assign(process.env, { RAPPEL_KEY, RAPPEL_HOME })
  if (RAPPEL_HOME === undefined) delete process.env.RAPPEL_HOME
  if (RAPPEL_KEY === undefined) delete process.env.RAPPEL_KEY
  await rm(home, { recursive: true, force: true })
})

const key = () => readFile(join(home, 'key'), 'utf8')

test('the key is made once, whole, and its owner’s alone', async () => {
  ensureKey()
  const made = await key()
  expect(Buffer.from(made.trim(), 'base64url')).toHaveLength(32)
  expect((await stat(join(home, 'key'))).mode & 0o077).toBe(0)
  ensureKey()
  expect(await key()).toBe(made)
  expect(await readdir(home)).toEqual(['key'])
})

test('a file of which a power cut left nothing is no key, and gives way to one', async () => {
  await writeFile(join(home, 'key'), '')
  ensureKey()
  expect(Buffer.from((await key()).trim(), 'base64url')).toHaveLength(32)
})
