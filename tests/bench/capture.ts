import type { Pool } from 'pg'
import { one } from '@/store/database'
import { makeClaims } from '../support/claims'
import { forgetChanges, freshDatabase } from '../support/database'
import { median, report, time } from './measure'

const ROWS = 50_000
const ROUNDS = 5
const SINGLES = 600

const CAPTURE = 'rappel_capture_update'
const set = (pool: Pool, state: 'enable' | 'disable') => pool.query(`alter table data.claims ${state} trigger ${CAPTURE}`)

async function bulk(pool: Pool): Promise<number> {
  const milliseconds = await time(() => pool.query(`update data.claims set amount = amount + 1, status = case status when 'New' then 'Settled' else 'New' end`))
  await forgetChanges(pool)
  await pool.query('vacuum analyze data.claims')
  return milliseconds
}

async function singles(pool: Pool): Promise<number> {
  const client = await pool.connect()
  const milliseconds = await time(async () => {
    for (let i = 0; i < SINGLES; i++) await client.query('update data.claims set amount = amount + 1 where id = $1', [1 + ((i * 7919) % ROWS)])
  })
  client.release()
  return SINGLES / (milliseconds / 1000)
}

/** Measures without and with capture turn by turn, so that a machine that gets slower or faster meanwhile does so for both. */
async function turnByTurn(pool: Pool, measure: (pool: Pool) => Promise<number>): Promise<{ bare: number; captured: number }> {
  const [bare, captured]: [number[], number[]] = [[], []]
  for (let i = 0; i < ROUNDS; i++) {
    await set(pool, 'disable')
    bare.push(await measure(pool))
    await set(pool, 'enable')
    captured.push(await measure(pool))
  }
  return { bare: median(bare), captured: median(captured) }
}

const AUDIT = `
  create table rappel.by_hand (id bigint generated always as identity, tbl text, op text, who text default session_user, at timestamptz default now(), before jsonb, after jsonb);
  create function rappel.write_by_hand() returns trigger language plpgsql as $$
  begin
    insert into rappel.by_hand (tbl, op, before, after) values (tg_table_name, tg_op, to_jsonb(old), to_jsonb(new));
    return null;
  end $$;
  create trigger audited after update on data.claims for each row when (old.* is distinct from new.*) execute function rappel.write_by_hand();
  alter table data.claims disable trigger audited`

/** What an audit trigger costs as one writes it by hand: a row each, both rows as JSON, nothing queued. */
async function benchAudit(pool: Pool): Promise<{ factor: number; share: number }> {
  await pool.query(AUDIT)
  await set(pool, 'disable')
  const turns = async (measure: (pool: Pool) => Promise<number>) => {
    const [bare, audited]: [number[], number[]] = [[], []]
    for (let i = 0; i < ROUNDS; i++) {
      await pool.query('alter table data.claims disable trigger audited')
      bare.push(await measure(pool))
      await pool.query('alter table data.claims enable trigger audited')
      audited.push(await measure(pool))
      await pool.query('truncate rappel.by_hand')
    }
    return median(audited) / median(bare)
  }
  const result = { factor: await turns(bulk), share: await turns(singles) }
  await pool.query('drop trigger audited on data.claims')
  await set(pool, 'enable')
  return result
}

/** Bytes a change of the log takes, and of the same changes as images, indexes included. */
async function benchSize(pool: Pool): Promise<{ typed: number; images: number }> {
  await pool.query('update data.claims set amount = amount + 1')
  await pool.query('create table rappel.images (like rappel.change_json including indexes)')
  await pool.query('create index on rappel.images (tbl, rec, id); create index on rappel.images (tbl, id); create index on rappel.images (xid, id)')
  await pool.query('insert into rappel.images select * from rappel_change.claims')
  const size = async (name: string) =>
    (
      await one<{ size: number }>(pool, 'select coalesce(sum(pg_total_relation_size(relid)), pg_total_relation_size($1::regclass)) as size from pg_partition_tree($1::regclass)', [
        name,
      ])
    ).size / ROWS
  const sizes = { typed: await size('rappel_log.claims'), images: await size('rappel.images') }
  await pool.query('drop table rappel.images')
  await forgetChanges(pool)
  return sizes
}

/** What capture costs the writers, against the same updates with its trigger switched off. */
export async function benchCapture(): Promise<void> {
  const { pool, drop } = await freshDatabase()
  await makeClaims(pool)
  await pool.query(`insert into data.claims (status, amount, note) select 'New', g, 'a note of some length for claim ' || g from generate_series(1, ${ROWS}) g`)
  await forgetChanges(pool)
  await pool.query('vacuum analyze data.claims')
  await bulk(pool)
  const many = await turnByTurn(pool, bulk)
  const factor = many.captured / many.bare
  report(`bulk update of ${ROWS} rows, times uncaptured`, `${factor.toFixed(2)} (${Math.round(many.bare)} to ${Math.round(many.captured)} ms)`, 'at most 2.2', factor <= 2.2)
  const each = await turnByTurn(pool, singles)
  const share = each.captured / each.bare
  report('single-row updates, share of the uncaptured rate', `${share.toFixed(2)} (${Math.round(each.bare)} to ${Math.round(each.captured)} /s)`, 'at least 0.65', share >= 0.65)
  const audit = await benchAudit(pool)
  report('the bulk update with an audit trigger written by hand, times unaudited', audit.factor.toFixed(2), 'more than captured', audit.factor > factor)
  report('single-row updates with it, share of the unaudited rate', audit.share.toFixed(2), 'for comparison', true)
  const { typed, images } = await benchSize(pool)
  report(
    'bytes a change takes in the log, share of the same as images',
    `${(typed / images).toFixed(2)} (${Math.round(typed)} to ${Math.round(images)})`,
    'at most 0.5',
    typed <= images / 2,
  )
  await drop()
}
