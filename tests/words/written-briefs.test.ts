import { spawnSync } from 'node:child_process'

test('10,000 workflows of every kind, written as text and read, are the same documents', () => {
  // in a process of its own, where each global name is found at once: it takes a quarter of the time
  const { status, stderr } = spawnSync(process.execPath, ['--import', 'tsx', 'tests/words/written-briefs.ts', '10000'], { encoding: 'utf8' })
  expect([stderr, status]).toEqual(['', 0])
}, 300_000)
