import type { Pool } from 'pg'
import { attachTable } from '@/store/attach/attach'
import { many } from '@/store/database'
import { explained } from '@/store/problems'
import { freshDatabase } from '../support/database'

/**
 * What does not fit a column of an attached table is refused, as an insert into it by itself refuses it, and never cut.
 * Source: PostgreSQL 15, 8.3 "Character Types": a longer text is an error, unless all that is too much is blanks; a cast with a length cuts it. 8.1.2: numbers are rounded to a column's scale.
 */

let db: Awaited<ReturnType<typeof freshDatabase>>
let pool: Pool
beforeAll(async () => {
  db = await freshDatabase()
  pool = db.pool
  await pool.query(`
    create schema books;
    create domain books.code as varchar(4);
    create type books.state as enum ('open', 'shut');
    create domain books.some_state as books.state;
    create table books.tickets (id int primary key, name varchar(5), fixed char(3), code books.code, amount numeric(5,2), at timestamptz(0), local timestamp(0), state books.state, other books.some_state, day date, yes boolean);
    insert into books.tickets (id, name) values (1, 'a')`)
  await attachTable(pool, 'tickets', { schema: 'books', table: 'tickets' })
})
afterAll(() => db.drop())

const kept = async () => (await many<Record<string, unknown>>(pool, 'select * from books.tickets order by id'))[0]

test.each([
  ['name', 'longer', 5],
  ['fixed', 'abcd', 3],
  ['code', 'abcde', 4],
])('%s: a text that is too long is refused in words, changed or new, and nothing is kept', async (column, text, most) => {
  const before = await kept()
  const written = [pool.query(`update data.tickets set ${column} = $1 where id = 1`, [text]), pool.query(`insert into data.tickets (id, ${column}) values (9, $1)`, [text])]
  for (const done of written) {
    const error: unknown = await done.then(
      () => null,
      (e: unknown) => explained(e),
    )
    expect(String(error)).toContain(`A text is too long for where it is kept, which takes ${most} characters. Make it shorter.`)
  }
  expect(await many(pool, 'select * from books.tickets')).toEqual([before])
})

test('what fits is kept as the column has it: blanks at the end, numbers rounded, moments to the second, choices and domains of them', async () => {
  await pool.query(
    `update data.tickets set name = 'abcde  ', fixed = 'ab', code = 'abcd', amount = 1.239, at = '2026-03-01T10:00:00.600Z', local = '2026-03-01T10:00:00.600Z', state = 'open', other = 'shut', day = '2026-03-01', yes = true where id = 1`,
  )
  expect(await kept()).toMatchObject({ name: 'abcde', fixed: 'ab ', code: 'abcd', amount: '1.24', at: new Date('2026-03-01T10:00:01Z'), state: 'open', other: 'shut', yes: true })
  await expect(pool.query('update data.tickets set amount = 1234.5 where id = 1')).rejects.toThrow('numeric field overflow')
})
