import { createPool, inSavepoint, many, type Queryable, transaction } from '@/store/database'
import { freshDatabase } from '../support/database'

let own: Awaited<ReturnType<typeof freshDatabase>>
beforeEach(async () => {
  own = await freshDatabase()
  await own.pool.query('create table data.written (what text primary key)')
})
afterEach(() => own.drop())

const write = (db: Queryable, what: string) => db.query('insert into data.written values ($1)', [what])
const written = async () => (await many<{ what: string }>(own.pool, 'select what from data.written order by what')).map((row) => row.what)

/** Lets a part fail, as the database or the program would have it, and goes on after it. */
async function failing(db: Queryable, work: () => Promise<unknown>): Promise<void> {
  await expect(
    inSavepoint(db, async () => {
      await work()
      throw new Error('given up')
    }),
  ).rejects.toThrow('given up')
}

test('a part that fails undoes what it wrote and no other’s, before it and after it', async () => {
  await transaction(own.pool, async (db) => {
    await write(db, '1')
    await inSavepoint(db, () => write(db, '2'))
    await write(db, '3 between')
    await failing(db, () => write(db, '4 undone'))
    await write(db, '5')
    await inSavepoint(db, () => write(db, '6'))
    await expect(inSavepoint(db, () => write(db, '6'))).rejects.toThrow('duplicate key')
    await inSavepoint(db, () => write(db, '7'))
  })
  expect(await written()).toEqual(['1', '2', '3 between', '5', '6', '7'])
})

test('a part within a part is undone with it, or alone', async () => {
  await transaction(own.pool, async (db) => {
    await inSavepoint(db, async () => {
      await write(db, '1 outer')
      await inSavepoint(db, () => write(db, '2 inner'))
      await failing(db, () => write(db, '3 inner, undone'))
      await inSavepoint(db, () => write(db, '4 inner'))
      await write(db, '5 outer')
    })
    await failing(db, async () => {
      await inSavepoint(db, () => write(db, '6 inner, undone with the outer'))
      await failing(db, () => write(db, '7 undone'))
    })
    await inSavepoint(db, () => inSavepoint(db, () => inSavepoint(db, () => write(db, '8 third'))))
    await inSavepoint(db, async () => {
      await inSavepoint(db, () => write(db, '9 inner'))
      await failing(db, () => inSavepoint(db, () => write(db, '9 third, undone')))
    })
  })
  expect(await written()).toEqual(['1 outer', '2 inner', '4 inner', '5 outer', '8 third', '9 inner'])
})

test('parts of one transaction mean nothing to the next on the same connection', async () => {
  const only = createPool(own.url, { max: 1 })
  await transaction(only, (db) => inSavepoint(db, () => write(db, '1')))
  const undone = transaction(only, async (db) => {
    await inSavepoint(db, () => write(db, '2 undone with its transaction'))
    throw new Error('given up')
  })
  await expect(undone).rejects.toThrow('given up')
  await transaction(only, (db) => inSavepoint(db, () => write(db, '3')))
  await only.end()
  expect(await written()).toEqual(['1', '3'])
})

test('a part is of a transaction', async () => {
  await expect(inSavepoint(own.pool, async () => undefined)).rejects.toThrow('transaction block')
})
