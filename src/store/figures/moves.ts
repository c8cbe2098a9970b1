import type { SqlNames } from '@/core/conditions/sql'
import type { TableFigure } from '@/core/document/figure'
import type { FigureSetting, Read } from '@/core/figures/sql'
import { fieldsRead, figureRowSql } from '@/core/figures/sql'
import { must } from '@/core/must'
import { type FieldDef, fieldOf, type TableDef } from '@/core/values/tables'
import { type Queryable, quote, tableName } from '../database'
import { type LogSource, logSource } from '../log-source'

type Bind = (value: unknown, type: string) => string

/** Which changes move a figure, and what is known at each of them. */
export interface Reach {
  /** SQL of whether a change, of a log as `c`, is one of them. */
  readonly where: string
  /** SQL of whether a change, of a log as `c`, is not yet done at a place in the log. */
  readonly undone: (place: string) => string
}

/** Millions of changes come to few groups, which the planner does not know: for this transaction they are added up in memory, not sorted. */
export async function addUpInMemory(db: Queryable): Promise<void> {
  await db.query(`set local enable_sort = off; set local work_mem = '64MB'`)
}

/** The tables whose changes move a figure: its own, and those that its fields are read of through a link. */
export const tablesRead = (figure: TableFigure, table: TableDef): string[] => [...new Set([figure.table, ...fieldsRead(figure, table).linked.map((l) => l.table)])]

/** SQL of what changes move of a figure: rows `xid, id, at, grp, day, val, n, amount`, groups and values as their columns hold them. */
export async function movesSql(db: Queryable, figure: TableFigure, setting: FigureSetting, reach: Reach, bind: Bind): Promise<string> {
  const table = must(setting.schema.get(figure.table))
  const read = fieldsRead(figure, table)
  const source = await logSource(db, figure.table)
  return read.linked.length === 0 ? ownMoves(figure, table, setting, source, read, reach, bind) : linkedMoves(db, figure, table, setting, source, read, reach, bind)
}

/** The moves of a figure that reads its own records alone. */
function ownMoves(figure: TableFigure, table: TableDef, setting: FigureSetting, source: LogSource, { own }: Read, { where }: Reach, bind: Bind): string {
  const names = { quote, table: tableName }
  const waited = waitedFor(source, own, bind)
  const side = (row: ReturnType<typeof figureRowSql>, sign: 1 | -1, kind: string) =>
    `select c.xid, c.id, c.at, ${row.group} as grp, ${row.day} as day, ${row.value} as val, ${sign} as n, coalesce(${sign} * (${row.amount}), 0)::numeric as amount
       from ${source.from} where ${where} and ${waited} and c.kind <> '${kind}' and ${row.counts}`
  const after = figureRowSql(figure, table, setting, names, source.after(false), bind)
  const before = figureRowSql(figure, table, setting, names, source.before, bind)
  return `${side(after, 1, 'deleted')} union all ${side(before, -1, 'created')}`
}

/** Whether a change touches one of some fields, or the record as a whole. */
function waitedFor(source: LogSource, fields: readonly string[], bind: Bind): string {
  const watched = fields.filter((f) => f !== 'id')
  return watched.length ? `(c.kind <> 'changed' or ${source.touches(watched, (value) => bind(value, 'text[]'))})` : `c.kind <> 'changed'`
}

/**
 * The moves of a figure that reads through links. What a record links to is read as it is at the place of each change in the log: what stood before the first change of it that is not done there, else as it
 * is now. A change of what is linked to moves all records that point at it then.
 */
async function linkedMoves(db: Queryable, figure: TableFigure, table: TableDef, setting: FigureSetting, source: LogSource, read: Read, reach: Reach, bind: Bind): Promise<string> {
  const sources = new Map<string, LogSource>()
  for (const name of new Set([figure.table, ...read.linked.map((l) => l.table)])) sources.set(name, name === figure.table ? source : await logSource(db, name))
  const namesAt = (place: string): SqlNames => ({
    quote,
    table: tableName,
    linked: (target, field, id) => standing(must(sources.get(target)), target, field, id, reach.undone(place)),
  })
  const fields = read.own.filter((f) => f !== 'id').map((f) => must(fieldOf(table, f)))
  const id = must(fieldOf(table, 'id'))
  const columns = [...fields, id]
  const rowOf = (side: string) => (field: FieldDef) => `m.${quote(`${side}_${field.name}`)}`
  const [after, before] = [figureRowSql(figure, table, setting, namesAt('m.id'), rowOf('a'), bind), figureRowSql(figure, table, setting, namesAt('(m.id - 1)'), rowOf('b'), bind)]
  const written = (side: string, sql: (field: FieldDef) => string) => columns.map((f) => `${sql(f)} as ${quote(`${side}_${f.name}`)}`).join(', ')
  const changed = `select c.xid, c.id, c.at, c.kind::text as kind, ${written('a', source.after(false))}, ${written('b', source.before)}
    from ${source.from} where ${reach.where} and ${waitedFor(source, read.own, bind)}`
  const events = read.linked.map(({ table: target, fields: linked }, i) => {
    const there = must(sources.get(target))
    return `far${i} as materialized (select c.xid, c.id, c.at, c.rec from ${there.from} where ${reach.where} and ${waitedFor(there, linked, bind)})`
  })
  const moved = read.linked.map(({ link, table: target }, i) => {
    const was = `(select x.* from (
        (select 0 as o, ${columns.map((f) => `${source.before(f)} as ${quote(f.name)}`).join(', ')} from ${source.from} where c.rec = e.own and ${reach.undone('e.id')} order by c.id limit 1)
        union all (select 1, ${columns.map((f) => `t.${quote(f.name)}`).join(', ')} from ${tableName(table.name)} t where t.id = e.own)) x order by x.o limit 1)`
    const columnsOf = (side: string) => columns.map((f) => `m.${quote(f.name)} as ${quote(`${side}_${f.name}`)}`).join(', ')
    const before = source.before(must(fieldOf(table, link)))
    return `select e.xid, e.id, e.at, 'changed' as kind, ${columnsOf('a')}, ${columnsOf('b')}
      from (select f.xid, f.id, f.at, f.rec, t.id as own from far${i} f join ${tableName(table.name)} t on t.${quote(link)} = f.rec
            union select f.xid, f.id, f.at, f.rec, c.rec from far${i} f join ${source.from} on ${before} = f.rec where ${reach.undone('f.id')}) e
      cross join lateral ${was} m where m.${quote(link)} = e.rec${target === table.name ? ' and e.own <> e.rec' : ''}`
  })
  const all = [changed, ...moved].join(' union all ')
  const side = (row: ReturnType<typeof figureRowSql>, sign: 1 | -1, kind: string) =>
    `select m.xid, m.id, m.at, ${row.group} as grp, ${row.day} as day, ${row.value} as val, ${sign} as n, coalesce(${sign} * (${row.amount}), 0)::numeric as amount
       from changed m where m.kind <> '${kind}' and ${row.counts}`
  return `with ${events.map((e) => `${e}, `).join('')}changed as materialized (${all}) ${side(after, 1, 'deleted')} union all ${side(before, -1, 'created')}`
}

/** SQL of a field of a record as it is where some of its changes are not done yet. */
function standing(source: LogSource, table: string, field: FieldDef, id: string, undone: string): string {
  return `(select x.v from (
      (select 0 as o, ${source.before(field)} as v from ${source.from} where c.rec = ${id} and ${undone} order by c.id limit 1)
      union all (select 1, t.${quote(field.name)} from ${tableName(table)} t where t.id = ${id})) x order by x.o limit 1)`
}
