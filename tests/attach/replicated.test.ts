import type { Pool } from 'pg'
import { attachTable, listAttachable } from '@/store/attach/attach'
import { followTable, listAttachedNews, staleAttached } from '@/store/attach/follow'
import { createPool, many } from '@/store/database'
import { readStanding } from '@/store/health'
import { freshDatabase } from '../support/database'
import { until } from '../support/engine'
import { Cluster } from '../support/servers/clusters'
import { makeWholesale } from './wholesale'

/** Tables that a subscription writes: PostgreSQL 15, chapter 31 "Logical Replication"; 31.9: its apply process fires triggers of rows that are enabled for it, and none of statements. */
let db: Awaited<ReturnType<typeof freshDatabase>>
let theirs: Awaited<ReturnType<typeof makeWholesale>>
let source: Cluster
let origin: Pool
let pool: Pool
beforeEach(async () => {
  db = await freshDatabase()
  pool = db.pool
  theirs = await makeWholesale(db.url)
  source = await Cluster.make(['wal_level = logical'])
  origin = createPool(source.url())
  // the program's own database, of which some tables are copied to where Rappel is
  await origin.query(`create schema wholesale; create table wholesale.region (code varchar(8) primary key, title text not null);
    create table wholesale.scan (id bigint primary key, parcel text not null, place text, at timestamptz not null default now())`)
})
afterEach(async () => {
  await theirs.grant('reset role')
  await theirs.grant('drop subscription if exists copied')
  await origin.end()
  source.remove()
  await theirs.end()
  await db.drop()
})

/** Has tables copied from the program's own database from now on. */
async function subscribe(...tables: string[]): Promise<void> {
  const { hostname, port, username, password } = new URL(source.adminUrl)
  await source.administer(`create publication copied for table ${tables.map((t) => `wholesale.${t}`).join(', ')}`, 'rappel')
  await theirs.grant('reset role')
  await theirs.grant(
    `create subscription copied connection 'host=${hostname} port=${port} user=${username} password=${password} dbname=rappel' publication copied with (copy_data = false)`,
  )
}

/** Runs as the owner what health asks of him. */
const allow = async () => {
  for (const { sql } of (await readStanding(pool)).unreplicated) await theirs.as.query(sql)
}

const changes = (table: string) =>
  many<{ rec: unknown; kind: string; after: Record<string, unknown> | null; changed: string[] }>(pool, `select rec, kind, after, changed from rappel_change.${table} order by id`)

/** Waits until so many changes of a table are recorded; what they are. */
const recorded = async (table: string, count: number) => {
  await until(`${count} changes`, async () => ((await changes(table)).length >= count ? true : null))
  return (await changes(table)).map(({ rec, kind, after }) => `${kind} ${rec} ${after?.title ?? after?.place ?? ''}`.trim())
}
const news = async () => (await listAttachedNews(pool, new Date(0), 20)).map((n) => `${n.table}: ${n.text}`)

test('what replication writes to an attached table is recorded row by row, once its owner has let triggers fire for it; what is written here is recorded as ever', async () => {
  await subscribe('region', 'scan')
  expect((await listAttachable(pool)).filter((t) => t.afterwards).map((t) => t.table)).toEqual(['region', 'scan'])
  await attachTable(pool, 'regions', { schema: 'wholesale', table: 'region' })
  await attachTable(pool, 'scans', { schema: 'wholesale', table: 'scan' })
  const sql = 'alter table wholesale.region enable replica trigger rappel_capture_row; alter table wholesale.region enable always trigger rappel_capture_truncate;'
  expect((await readStanding(pool)).unreplicated[0]).toEqual({ label: 'Region', sql })
  expect(await news()).toContain(`regions: Replication writes to it, which sets nothing off until its owner has run: ${sql}`)
  await allow()
  expect((await readStanding(pool)).unreplicated).toEqual([])
  expect((await readStanding(pool)).uncaptured).toEqual([])

  await origin.query(
    `insert into wholesale.region values ('W', 'West'); update wholesale.region set title = 'Western' where code = 'W'; update wholesale.region set code = 'WW' where code = 'W'`,
  )
  expect(await recorded('regions', 4)).toEqual(['created W West', 'changed W Western', 'deleted W', 'created WW Western'])
  await origin.query(
    `insert into wholesale.scan select g, 'P' || g from generate_series(995, 1005) g; update wholesale.scan set place = 'Hall 2' where id in (999, 1000); delete from wholesale.scan where id = 1005`,
  )
  expect((await recorded('scans', 14)).slice(11)).toEqual(['changed 999 Hall 2', 'changed 1000 Hall 2', 'deleted 1005'])
  expect(await many(pool, `select 1 from rappel.queue where tbl in ('regions', 'scans')`)).toHaveLength(18)

  await theirs.as.query(`insert into region values ('E', 'East')`)
  expect((await recorded('regions', 5))[4]).toBe('created E East')
  await theirs.as.query('alter table region enable trigger user') // as a dump that is restored does of all triggers
  await theirs.as.query(`update region set title = 'Eastern' where code = 'E'`)
  await origin.query(`insert into wholesale.scan values (1, 'P1')`)
  await recorded('scans', 15)
  expect((await changes('regions')).length).toBe(6)
  expect((await readStanding(pool)).unreplicated.map((u) => u.label)).toEqual(['Region'])
  await allow()

  await origin.query('truncate wholesale.scan')
  expect((await recorded('scans', 15 + 11)).filter((c) => c.startsWith('deleted'))).toHaveLength(1 + 11)
})

test('a table that somebody subscribes to while it is attached is noticed; where Rappel may do as its owner does, nothing is to be run', async () => {
  await theirs.grant('reset role')
  await theirs.grant(`alter table wholesale.region owner to ${new URL(db.url).username}`)
  await attachTable(pool, 'regions', { schema: 'wholesale', table: 'region' })
  expect(await staleAttached(pool)).toEqual([])
  await subscribe('region')
  expect(await staleAttached(pool)).toEqual(['regions'])
  expect(await followTable(pool, 'regions')).toEqual(['Replication writes to it: each row that it brings, changes or deletes counts.'])
  expect(await staleAttached(pool)).toEqual([])
  expect((await readStanding(pool)).unreplicated).toEqual([])
  await origin.query(`insert into wholesale.region values ('W', 'West')`)
  expect(await recorded('regions', 1)).toEqual(['created W West'])

  // columns that are not followed yet stop no replication: the row is kept, and recorded later
  await theirs.grant('alter table wholesale.region add column lead text')
  await origin.query(`update wholesale.region set title = 'Western' where code = 'W'; delete from wholesale.region where code = 'W'`)
  await until('two rows to be kept', async () => ((await many(pool, 'select 1 from rappel.unlogged')).length === 2 ? true : null))
  await followTable(pool, 'regions')
  expect(await recorded('regions', 3)).toEqual(['created W West', 'changed W Western', 'deleted W'])
  expect(await many(pool, 'select 1 from rappel.unlogged')).toEqual([])
})

test('programs that say of their sessions that they replicate are recorded where the owner lets triggers of statements fire for them', async () => {
  await attachTable(pool, 'regions', { schema: 'wholesale', table: 'region' })
  for (const on of ['insert', 'update', 'delete', 'truncate']) await theirs.as.query(`alter table region enable always trigger rappel_capture_${on}`)
  await subscribe('region')
  await followTable(pool, 'regions')
  await allow()
  await theirs.grant(`set session_replication_role = replica; insert into wholesale.region values ('W', 'West'), ('E', 'East'); reset session_replication_role`)
  expect(await recorded('regions', 2)).toEqual(['created W West', 'created E East'])
  await origin.query(`insert into wholesale.region values ('C', 'Centre')`)
  expect(await recorded('regions', 3)).toEqual(['created W West', 'created E East', 'created C Centre'])
})
