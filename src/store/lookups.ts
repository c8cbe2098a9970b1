import type { Setting } from '@/core/conditions/compile'
import { conditionSql } from '@/core/conditions/sql'
import { type FreshNeed, type ListNeed, type Need, needKey } from '@/core/paths/lookups'
import { fieldOf, type Image, type Stored } from '@/core/values/tables'
import { many, one, type Queryable, quote, tableName } from './database'
import { readFileInfos } from './files'
import { readGroup, readTeam } from './people'
import { readRecords } from './records'

/** How needs are loaded: with what conditions are compiled, and whether ids may be reserved or are only pretended. */
export interface Loading {
  readonly setting: Setting
  readonly dry: boolean
}

/** Loads what evaluations found they need into `loaded`: records in one query a table, lists of one kind in one query, whatever is not there as null. */
export async function loadNeeds(db: Queryable, needs: readonly Need[], loaded: Map<string, unknown>, loading: Loading): Promise<void> {
  const open = needs.filter((need) => !loaded.has(needKey(need)))
  const of = <K extends Need['kind']>(kind: K) => open.filter((need): need is Extract<Need, { kind: K }> => need.kind === kind)
  await loadRecords(db, of('record'), loaded)
  await loadLists(db, of('list'), loaded, loading)
  await loadSuppressions(db, [...of('suppression'), ...soonAsked(of('record'), loaded)], loaded)
  await loadFiles(db, of('file'), loaded)
  for (const need of of('group')) loaded.set(needKey(need), await readGroup(db, need.name))
  for (const need of of('team')) loaded.set(needKey(need), await readTeam(db, need.name))
  for (const need of of('fresh')) loaded.set(needKey(need), await freshRecord(db, need, loading))
}

async function loadRecords(db: Queryable, needs: readonly Extract<Need, { kind: 'record' }>[], loaded: Map<string, unknown>): Promise<void> {
  for (const table of new Set(needs.map((n) => n.table))) {
    const wanted = needs.filter((n) => n.table === table)
    const found = await readRecords(
      db,
      table,
      wanted.map((n) => n.id),
    )
    for (const need of wanted) loaded.set(needKey(need), found.get(need.id) ?? null)
  }
}

/** People that were just loaded are mostly about to be written to: whether their addresses are suppressed is asked next. */
function soonAsked(records: readonly Extract<Need, { kind: 'record' }>[], loaded: ReadonlyMap<string, unknown>): Extract<Need, { kind: 'suppression' }>[] {
  return records.flatMap((need) => {
    const email = need.table === 'person' ? (loaded.get(needKey(need)) as Image | null)?.email : null
    return typeof email === 'string' ? [{ kind: 'suppression' as const, address: email.trim().toLowerCase() }] : []
  })
}

async function loadSuppressions(db: Queryable, needs: readonly Extract<Need, { kind: 'suppression' }>[], loaded: Map<string, unknown>): Promise<void> {
  if (needs.length === 0) return
  const rows = await many<{ address: string }>(db, 'select address from rappel.suppression where address = any($1)', [needs.map((n) => n.address)])
  const suppressed = new Set(rows.map((r) => r.address))
  for (const need of needs) loaded.set(needKey(need), suppressed.has(need.address))
}

async function loadFiles(db: Queryable, needs: readonly Extract<Need, { kind: 'file' }>[], loaded: Map<string, unknown>): Promise<void> {
  if (needs.length === 0) return
  const ids = needs.map((need) => need.id)
  const files = await readFileInfos(db, ids)
  for (const need of needs) loaded.set(needKey(need), files.get(need.id) ?? null)
}

/** Lists that differ only in the record they belong to are read together; the limit is then each list's own. */
async function loadLists(db: Queryable, needs: readonly ListNeed[], loaded: Map<string, unknown>, loading: Loading): Promise<void> {
  const kinds = new Map<string, ListNeed[]>()
  for (const need of needs) {
    const kind = JSON.stringify([need.table, need.link?.field, need.where, need.order])
    kinds.set(kind, [...(kinds.get(kind) ?? []), need])
  }
  for (const alike of kinds.values()) {
    const images = await readLists(db, alike, loading)
    for (const need of alike) {
      const own = need.link ? images.filter((image) => image[(need.link as { field: string }).field] === need.link?.id) : images
      loaded.set(needKey(need), need.limit ? own.slice(0, need.limit) : own)
    }
  }
}

async function readLists(db: Queryable, alike: readonly ListNeed[], { setting }: Loading): Promise<Image[]> {
  const [{ table: name, link, where, order }] = alike as [ListNeed, ...ListNeed[]]
  const table = setting.schema.get(name)
  if (!table) return []
  const params: unknown[] = []
  const conditions: string[] = []
  if (link) {
    params.push([...new Set(alike.map((n) => n.link?.id))])
    conditions.push(`t.${quote(link.field)} = any($1)`)
  }
  if (where) {
    const sql = conditionSql(where, table, setting, { quote, table: tableName }, 't', new Date(), params.length)
    params.push(...sql.params)
    conditions.push(sql.text)
  }
  const field = fieldOf(table, order?.replace(/^-/, '') ?? 'id')
  const direction = order?.startsWith('-') ? 'desc nulls last' : 'asc nulls last'
  const text = `select to_jsonb(t) as image from ${tableName(name)} t ${conditions.length ? `where ${conditions.join(' and ')}` : ''} order by t.${quote(field?.name ?? 'id')} ${direction}, t.id`
  return (await many<{ image: Image }>(db, text, params)).map((r) => r.image)
}

/** Reserves the id and automatic numbers of a record to be created; dry, it only shows where they will stand. */
async function freshRecord(db: Queryable, { table: name }: FreshNeed, { setting, dry }: Loading): Promise<Image> {
  const numbers = setting.schema.get(name)?.fields.filter((f) => f.number) ?? []
  if (dry) return { id: null, ...Object.fromEntries(numbers.map((f) => [f.name, (f.number as string).replace(/\{0+\}/, '…')])) }
  const { id } = await one<{ id: number }>(db, `select nextval(pg_get_serial_sequence($1, 'id')) as id`, [tableName(name)])
  const image: Record<string, Stored> = { id }
  for (const field of numbers) {
    const { text } = await one<{ text: string }>(
      db,
      `select pg_get_expr(d.adbin, d.adrelid) as text from pg_attrdef d join pg_attribute a on a.attrelid = d.adrelid and a.attnum = d.adnum
        where d.adrelid = $1::regclass and a.attname = $2`,
      [tableName(name), field.name],
    )
    image[field.name] = (await one<{ value: string }>(db, `select ${text} as value`)).value
  }
  return image
}
