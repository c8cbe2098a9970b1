import type { Pool } from 'pg'
import { checkPassword, setPassword } from '@/store/access/sessions'
import { createPool, one } from '@/store/database'
import { findAnything } from '@/store/find'
import { setFolding } from '@/store/folding'
import { migrate } from '@/store/migrate'
import { createRecord, listRecords } from '@/store/records'
import { putTable, readSchema } from '@/store/tables'
import { CLAIMS, INES, makeClaims } from '../support/claims'
import { ORGANISATION } from '../support/core'
import { administer, emptyDatabase } from '../support/database'

/** Databases of other locales: PostgreSQL 15, 24.1 "Locale Support" and CREATE DATABASE; what letters have the same case is told by Unicode 15, 3.13 and SpecialCasing.txt (Turkish and Azeri). */
const LOCALES = [
  ['Turkish', `locale_provider icu icu_locale 'tr-TR' lc_collate 'C' lc_ctype 'C.UTF-8'`],
  ['C, which knows the letters of ASCII alone', `lc_collate 'C' lc_ctype 'C'`],
] as const

let name: string
let pool: Pool
async function begin(locale: string): Promise<void> {
  const made = await emptyDatabase()
  name = made.name
  await administer(`drop database ${name}`)
  await administer(`create database ${name} ${locale} encoding 'UTF8' template template0 owner ${new URL(made.url).username}`)
  pool = createPool(made.url)
  await migrate(pool)
}
afterEach(async () => {
  await pool.end()
  await administer(`drop database ${name} with (force)`)
})

const NOTES = ['Ärger', 'IRIS', 'ΟΔΟΣ', 'plain']

describe.each(LOCALES)('a database whose locale is %s', (_, locale) => {
  test('texts and addresses are the same whatever the case of their letters: signing in, conditions, finding, what is unique', async () => {
    await begin(locale)
    expect(await one(pool, `select lower('IÄ') <> 'iä' as is_other`)).toEqual({ is_other: true })
    const people = await makeClaims(pool)
    await setPassword(pool, people.ines, 'a good password')
    expect((await checkPassword(pool, INES.toUpperCase(), 'a good password'))?.id).toBe(people.ines)

    for (const note of NOTES) await createRecord(pool, CLAIMS, { note, number: `N-${note}` })
    const setting = { schema: await readSchema(pool), organisation: ORGANISATION, people: new Map([[INES, people.ines]]) }
    const found = async (op: 'is' | 'contains' | 'starts with', value: string) =>
      (await listRecords(pool, CLAIMS, setting, { where: { all: [{ field: 'note', op, value }] }, order: 'id', limit: 9 })).map((r) => r.note)
    expect(await found('is', 'ÄRGER')).toEqual(['Ärger'])
    expect(await found('contains', 'RI')).toEqual(['IRIS'])
    expect(await found('starts with', 'iR')).toEqual(['IRIS'])
    expect(await found('contains', 'οδο')).toEqual(['ΟΔΟΣ'])
    expect(await found('is', 'other')).toEqual([])
    expect((await findAnything(pool, 'iris', { keeper: null, templates: true, people: true, messages: false })).map((f) => f.title)).toContain('N-IRIS')

    await putTable(pool, { ...CLAIMS, fields: CLAIMS.fields.map((f) => (f.name === 'note' ? { ...f, unique: true } : f)) })
    await expect(createRecord(pool, CLAIMS, { note: 'iris' })).rejects.toThrow()
    await expect(createRecord(pool, CLAIMS, { note: ' äRGER' })).rejects.toThrow()
    await createRecord(pool, CLAIMS, { note: 'Plainly' })
  })

  test('an installation that was made elsewhere and is restored into it has its texts folded anew, and what is indexed by that', async () => {
    await begin(locale)
    await pool.query(`create or replace function rappel.folded(text) returns text language sql immutable parallel safe as $$ select pg_catalog.lower($1) $$`)
    const index = () => one<{ def: string }>(pool, `select pg_get_indexdef('rappel.person_email'::regclass) as def`)
    await pool.query('drop index rappel.person_email; create unique index person_email on rappel.person (lower(email))')
    expect(await setFolding(pool)).toBe(true)
    expect((await index()).def).toContain('rappel.folded(email)')
    expect(await setFolding(pool)).toBe(false)
    const { ines } = await makeClaims(pool)
    await expect(pool.query('update rappel.person set email = $1 where id <> $2', [INES.toUpperCase(), ines])).rejects.toThrow(/unique/)
  })
})
