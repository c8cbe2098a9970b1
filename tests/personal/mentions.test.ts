import type { Pool } from 'pg'
import { mentionsOf } from '@/core/recipients/mentions'
import { one } from '@/store/database'
import { freshDatabase } from '../support/database'

/** What is taken for somebody in texts, as PostgreSQL reads the patterns that are made of them. */

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
beforeAll(async () => {
  db = await freshDatabase()
  pool = db.pool
})
afterAll(() => db.drop())

const KUNDE = mentionsOf({ address: 'kunde+1@else.example' })
const ERASED = 'erased@erased.invalid'

async function without(said: string, { patterns, instead, near } = KUNDE): Promise<string> {
  const { text, isNear } = await one<{ text: string; isNear: boolean }>(pool, 'select rappel.without_mentions($1::text, $2, $3) as text, $1 ~ any($4) as "isNear"', [
    said,
    patterns,
    instead,
    near,
  ])
  if (text !== said) expect(isNear).toBe(true)
  return text
}

test.each([
  ['kunde+1@else.example', ERASED],
  ['To Kunde+1@ELSE.example.', `To ${ERASED}.`],
  ['"Kunde" <kunde+1@else.example>, others', `"Kunde" <${ERASED}>, others`],
  ['mailto:kunde+1@else.example?subject=x', `mailto:${ERASED}?subject=x`],
  ["'kunde+1@else.example'", `'${ERASED}'`],
  ['to=kunde%2B1%40else.example&x=1', `to=${ERASED}&x=1`],
  ['kunde+1@else.example, kunde+1@else.example', `${ERASED}, ${ERASED}`],
])('%s: the address is taken out', async (said, left) => {
  expect(await without(said)).toBe(left)
})

test.each([
  'grosskunde+1@else.example',
  'my.kunde+1@else.example',
  'a-kunde+1@else.example',
  "o'kunde+1@else.example",
  'kunde+1@else.example.org',
  'kunde+1@else.example-two.org',
  'kunde1@else.example',
  'kunde+1@elseexample',
])('%s is somebody else', async (said) => {
  expect(await without(said)).toBe(said)
})

test('names and numbers are taken as whole words, blanks between them as they come; short ones only where they stand alone', async () => {
  const ines = mentionsOf({ address: 'i@office.example', name: 'Ines Okafor', phone: '0123 456' })
  expect(await without('Call INES  Okafor (0123 456), not Ines Okafors or 0123 4567.', ines)).toBe('Call Erased (Erased), not Ines Okafors or 0123 4567.')
  const li = mentionsOf({ address: 'li@office.example', name: 'Li' })
  expect(await without('Li lifts the limit of Li', li)).toBe('Li lifts the limit of Li')
  expect(await without(' li ', li)).toBe('Erased')
  const amp = mentionsOf({ address: 'a@office.example', name: `Ann "B&B" O'Neil` })
  expect(await without('<p>Ann &quot;B&amp;B&quot; O&#39;Neil</p>', amp)).toBe('<p>Erased</p>')
})

test('in JSON texts alone are changed, however they are written, and no names of its fields', async () => {
  const who = mentionsOf({ address: '"odd one"@else.example', name: 'amount' })
  const said = { amount: 3, to: ['"Odd one"@else.example', null, true], deep: { name: 'Amount', text: 'line\n"odd one"@else.example' } }
  const { json, isNear } = await one<{ json: unknown; isNear: boolean }>(pool, 'select rappel.without_mentions($1::jsonb, $2, $3) as json, $1::jsonb::text ~ any($4) as "isNear"', [
    JSON.stringify(said),
    who.patterns,
    who.instead,
    who.near,
  ])
  expect(json).toEqual({ amount: 3, to: [ERASED, null, true], deep: { name: 'Erased', text: `line\n${ERASED}` } })
  expect(isNear).toBe(true)
})

test('a text of a million letters is gone through at once', async () => {
  const long = 'kunde+1@else '.repeat(80_000)
  expect(await without(`${long}kunde+1@else.example`)).toBe(`${long}${ERASED}`)
})
