import { spawnSync } from 'node:child_process'
import { existsSync, readdirSync, readFileSync } from 'node:fs'

const UNITS = readdirSync('deploy').filter((f) => /\.(service|socket|timer)$/.test(f))

test.each(UNITS.filter((f) => f.endsWith('.service')))('%s starts a program that is there, as somebody who is not root', (unit) => {
  const text = readFileSync(`deploy/${unit}`, 'utf8')
  const script = /^ExecStart=\/usr\/bin\/node (\S+)/m.exec(text)?.[1]
  expect(script && existsSync(script)).toBe(true)
  expect(text).toMatch(/^User=rappel$/m)
})

const verify = spawnSync('systemd-analyze', ['--version'], { encoding: 'utf8' })
const withSystemd = verify.status === 0 ? test : test.skip
withSystemd.each(UNITS)('systemd finds nothing wrong with %s', (unit) => {
  const { stdout, stderr } = spawnSync('systemd-analyze', ['verify', `deploy/${unit}`], { encoding: 'utf8' })
  // what is not installed on this machine is no fault of the unit
  const faults = `${stdout}${stderr}`.split('\n').filter((line) => line.includes(unit.replace('@', '')) && !/not-found|No such file|not executable|Failed to/.test(line))
  expect(faults).toEqual([])
})

test('the settings that are shipped are such as programs take, also those that are to be taken in', async () => {
  const checked = (await import('../../scripts/lib/checked.mjs' as string)) as Record<'faultsOf' | 'unknownOf', (env: object) => string[]>
  const lines = [...readFileSync('deploy/rappel.env.example', 'utf8').matchAll(/^(?:# )?([A-Z_]+)=(\S+)/gm)].map(([, name = '', text = '']) => [name, text] as const)
  expect(lines.length).toBeGreaterThan(6)
  const env = Object.fromEntries(lines.map(([name, text]) => [name, text === '…' ? '' : text]))
  expect([checked.faultsOf(env), checked.unknownOf(env)]).toEqual([[], []])
})

test('the container copies and runs what is there', () => {
  const text = readFileSync('deploy/Containerfile', 'utf8')
  for (const path of text.match(/scripts\/[a-z/]+\.mjs/g) ?? []) expect(existsSync(path)).toBe(true)
  for (const [, paths = ''] of text.matchAll(/^COPY (?!--from)(.+) \S+$/gm)) for (const path of paths.split(' ')) expect(existsSync(path)).toBe(true)
})
