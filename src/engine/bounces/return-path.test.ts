import fc from 'fast-check'
import { messageOf, returnPath } from './return-path'

const ADDRESS = 'bounces@office.example'

test('an address names its message to whoever has the secret, whatever becomes of its case on the way', () => {
  fc.assert(
    fc.property(fc.integer({ min: 1, max: Number.MAX_SAFE_INTEGER }), fc.boolean(), (id, isUpper) => {
      const path = returnPath(ADDRESS, id, 's')
      expect(path.slice(0, path.lastIndexOf('@')).length).toBeLessThanOrEqual(64) // RFC 5321 section 4.5.3.1.1
      // numbers beyond ten digits to base 36 do not come up
      if (id < 36 ** 10) expect(messageOf(isUpper ? path.toUpperCase() : path, ADDRESS, 's')).toBe(id)
      expect(messageOf(path, ADDRESS, 'other')).toBeNull()
    }),
  )
})

test('what is no address of ours is none', () => {
  const [local, domain] = returnPath(ADDRESS, 7, 's').split('@') as [string, string]
  for (const path of [
    '',
    '@',
    ADDRESS,
    `${local}@elsewhere.example`,
    `${local}x@${domain}`,
    `bounces+8${local.slice(local.indexOf('-'))}@${domain}`,
    `bounces+7-@${domain}`,
    `+${local}@${domain}`,
  ])
    expect(messageOf(path, ADDRESS, 's')).toBeNull()
  fc.assert(fc.property(fc.string(), (path) => messageOf(path, ADDRESS, 's') === null))
})
