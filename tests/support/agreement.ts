import type { Pool } from 'pg'
import type { Change } from '@/core/changes/change'
import { changeSql } from '@/core/conditions/sql'
import { changeOccasion } from '@/core/cues/occasion'
import type { Condition } from '@/core/document/condition'
import { LoadedLookups } from '@/core/paths/lookups'
import type { TableDef } from '@/core/values/tables'
import { compileWorkflow, evaluate } from '@/core/workflow/evaluate'
import { canFire, factsOf } from '@/core/workflow/judge'
import type { Surroundings } from '@/core/workflow/surroundings'
import { many, quote, tableName, transaction } from '@/store/database'
import { changesIn } from '@/store/log'
import { logSource } from '@/store/log-source'
import { actAs } from '@/store/who'
import { newClaimWorkflow } from './claims'

type Firing = 'entering' | 'every'

/** The id of the last row of the change log. */
export async function lastChange(pool: Pool): Promise<number> {
  return (await many<{ id: number }>(pool, 'select coalesce(max(id), 0) as id from rappel.change'))[0]?.id ?? 0
}

/** A transaction of one statement, in somebody's name. */
export async function writeAs(pool: Pool, by: number, text: string, params: readonly unknown[]): Promise<void> {
  await transaction(pool, async (tx) => {
    await actAs(tx, { by: { kind: 'person', person: by, name: 'Somebody' } })
    await tx.query(text, [...params])
  })
}

/** The ids of changes after one that the SQL of a condition lets through, over the log alone: column by column, and over the images that it gives; never neither true nor false. */
export async function throughSql(pool: Pool, table: TableDef, surroundings: Surroundings, condition: Condition, firing: Firing, after: number): Promise<number[]> {
  const [typed, byImage] = [await throughColumns(pool, table, surroundings, condition, firing, after), await throughImages(pool, table, surroundings, condition, firing, after)]
  expect(typed).toEqual(byImage)
  return typed
}

async function throughColumns(pool: Pool, table: TableDef, surroundings: Surroundings, condition: Condition, firing: Firing, last: number): Promise<number[]> {
  const { from, after, before, by } = await logSource(pool, table.name)
  const sql = changeSql(condition, firing, table, surroundings, { quote, table: tableName }, { change: 'c', now: after(true), before, by }, 1)
  return through(await many<Through>(pool, `select c.id, ${sql.text} as holds from ${from} where c.id > $1 order by c.id`, [last, ...sql.params]))
}

async function throughImages(pool: Pool, table: TableDef, surroundings: Surroundings, condition: Condition, firing: Firing, after: number): Promise<number[]> {
  const sql = changeSql(condition, firing, table, surroundings, { quote, table: tableName }, { change: 'c', now: 'n', before: 'b' }, 1)
  const row = `null::${tableName(table.name)}`
  return through(
    await many<Through>(
      pool,
      `select c.id, ${sql.text} as holds from ${changesIn(table.name)} c
         cross join lateral jsonb_populate_record(${row}, coalesce(c.after, c.before)) n
         cross join lateral jsonb_populate_record(${row}, case c.kind when 'created' then null when 'changed' then c.after || c.before else c.before end) b
        where c.id > $1 order by c.id`,
      [after, ...sql.params],
    ),
  )
}

interface Through {
  readonly id: number
  readonly holds: boolean | null
}

function through(rows: readonly Through[]): number[] {
  expect(rows.filter((r) => r.holds === null)).toEqual([])
  return rows.filter((r) => r.holds).map((r) => r.id)
}

/** Whether a change fires a workflow with a condition: by its compiled test, or explained. */
export function firesBy(
  reading: 'test' | 'explanation',
  surroundings: Surroundings,
  table: TableDef,
  world: Map<string, unknown>,
  condition: Condition,
  firing: Firing,
  change: Change,
): boolean {
  const cue = { kind: 'record' as const, on: ['created' as const, 'changed' as const, 'deleted' as const] }
  const compiled = compileWorkflow(newClaimWorkflow({ table: table.name, cue, conditions: condition, firing, actions: [] }), surroundings)
  const lookups = new LoadedLookups(world)
  const answer = reading === 'explanation' ? evaluate(compiled, changeOccasion(change), lookups, true).fires : canFire(compiled, change, factsOf(surroundings, change, lookups))
  expect(lookups.needs()).toEqual([])
  return answer
}
