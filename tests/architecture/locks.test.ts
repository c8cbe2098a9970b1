import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { LOCKS } from '@/store/locks'

const MIGRATIONS = join(process.cwd(), 'src/store/migrations')

/** Locks that migrations write out, by what they are for; a migration that is new has to be added here, and to none that is there. */
const IN_MIGRATIONS: Record<number, readonly string[]> = {
  4174: ['013_leaving.sql'],
  [LOCKS.sleep]: ['017_typed_log.sql', '027_attached.sql'],
  4184: ['017_typed_log.sql', '027_attached.sql'],
}

test('no two things share an advisory lock', () => {
  const numbers = [
    ...Object.values(LOCKS),
    ...Object.keys(IN_MIGRATIONS)
      .map(Number)
      .filter((n) => n !== LOCKS.sleep),
  ]
  expect(new Set(numbers).size).toBe(numbers.length)
})

test('each lock of a migration is known', () => {
  const found = readdirSync(MIGRATIONS).flatMap((file) => [...readFileSync(join(MIGRATIONS, file), 'utf8').matchAll(/advisory\w*\((\d+)/g)].map((m) => `${m[1]} ${file}`))
  expect([...new Set(found)].sort()).toEqual(
    Object.entries(IN_MIGRATIONS)
      .flatMap(([n, files]) => files.map((file) => `${n} ${file}`))
      .sort(),
  )
})
