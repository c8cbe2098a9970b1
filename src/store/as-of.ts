import { conditionSql, isExactInSql } from '@/core/conditions/sql'
import { type ListNeed, LoadedLookups, type Need, needKey } from '@/core/paths/lookups'
import { entryTest, ownPart } from '@/core/rehearsal/entries'
import { fieldOf, type Image, type RecordId, type TableDef } from '@/core/values/tables'
import { many, type Queryable, quote, tableName, unquoted } from './database'
import { DAY_MS, type Dated, endsOfTransactions } from './history'
import { keyType } from './keys'
import { changesIn } from './log'
import { askParts, partsOfLogs } from './log-parts'
import { logSource } from './log-source'
import { type Loading, loadNeeds } from './lookups'

/** A moment in the change log: the end of the transaction that a change belongs to. */
export type Position = number

/** The position at the end of a change's transaction, or null when the change is not in the log. */
export async function positionOf(db: Queryable, change: Dated): Promise<Position | null> {
  return (await endsOfTransactions(db, [change])).get(change.transaction) ?? null
}

/** The position of everything that was recorded until a moment, or null where nothing was. */
export async function positionAt(db: Queryable, at: Date): Promise<Position | null> {
  const until = async (from: Date | null) => {
    const rows = await askParts<{ last: string | null }>(
      db,
      await partsOfLogs(db, from ? { from, to: at } : undefined),
      (part) => `select max(id)::text as last from ${part} where at <= $1 and ($2::timestamptz is null or at > $2)`,
      [at, from],
    )
    return rows.reduce<number | null>((found, { last }) => (last === null ? found : Math.max(found ?? 0, Number(last))), null)
  }
  return (await until(new Date(at.getTime() - DAY_MS))) ?? (await until(null))
}

/**
 * Records' images at a position, as SQL that gives `id` and `image` for the ids of `wanted`: after the last change at or before it; else what stood before the first one after it;
 * else the live row, which then never changed. The image of a record that was deleted, or not yet created, is null.
 */
function imagesAt(table: string, wanted: string, position: string): string {
  return `select wanted.id, case
      when past.id is not null then past.after
      when later.id is not null then case later.kind when 'created' then null when 'changed' then later.after || later.before else later.before end
      else (select to_jsonb(l.*) from ${tableName(table)} l where l.id = wanted.id) end as image
    from (${wanted}) wanted
    left join lateral (select c.id, c.after from ${changesIn(table)} c where c.rec = wanted.id and c.id <= ${position} order by c.id desc limit 1) past on true
    left join lateral (select c.id, c.kind, c.after, c.before from ${changesIn(table)} c
                        where past.id is null and c.rec = wanted.id and c.id > ${position} order by c.id limit 1) later on true`
}

/** Loads what evaluations need as it stood at a position: records, lists, people and their teams from the change log; groups and suppressions as they are now. Conditions of lists count from `at`. */
export async function loadNeedsAsOf(db: Queryable, needs: readonly Need[], loaded: Map<string, unknown>, loading: Loading, position: Position, at: Date): Promise<void> {
  const open = needs.filter((need) => !loaded.has(needKey(need)))
  const records = open.filter((need) => need.kind === 'record')
  for (const table of new Set(records.map((need) => need.table))) {
    const wanted = records.filter((need) => need.table === table)
    const images = await recordsAt(
      db,
      loading.setting.schema.get(table),
      table,
      wanted.map((need) => need.id),
      position,
    )
    for (const need of wanted) loaded.set(needKey(need), images.get(String(need.id)) ?? null)
  }
  for (const need of open) {
    if (need.kind === 'list') loaded.set(needKey(need), await listAt(db, need, loading, position, at))
    if (need.kind === 'team') loaded.set(needKey(need), await teamAt(db, need.name, position))
  }
  await loadNeeds(
    db,
    open.filter((need) => !loaded.has(needKey(need))),
    loaded,
    loading,
  )
}

async function recordsAt(db: Queryable, def: TableDef | undefined, table: string, ids: readonly RecordId[], position: Position): Promise<Map<string, Image>> {
  const wanted = `select id from unnest($1::${keyType(def)}[]) as w (id)`
  const rows = await many<{ id: RecordId; image: Image | null }>(db, imagesAt(unquoted(table), wanted, '$2::bigint'), [ids, position])
  return new Map(rows.flatMap(({ id, image }) => (image ? [[String(id), image] as const] : [])))
}

/** The people of a team as they stood at a position. */
export async function teamAt(db: Queryable, team: string, position: Position): Promise<Image[]> {
  const rows = await many<{ image: Image }>(
    db,
    `select image from (${imagesAt('person', 'select id from rappel.person union select rec from rappel_change.person', '$1::bigint')}) then_ where image ->> 'team' = $2 order by image ->> 'name', (image ->> 'id')::bigint`,
    [position, team],
  )
  return rows.map((r) => r.image)
}

/** SQL of the records that the log has ever pointing through a link at what the second parameter names. */
async function everPointed(db: Queryable, table: string, field: string): Promise<string> {
  const { from, valuesOf } = await logSource(db, table)
  return `select c.rec from ${from} where ${valuesOf(field)
    .map((value) => `${value} = $2`)
    .join(' or ')}`
}

/** The entries of a list as they stood at a position: of those that are in it now, and those whose log ever names the link. */
export async function listAt(db: Queryable, need: ListNeed, loading: Loading, position: Position, at: Date): Promise<Image[]> {
  const { setting } = loading
  const table = setting.schema.get(need.table)
  if (!table) return []
  const name = unquoted(need.table)
  const link = need.link
  const candidates = link
    ? `select id from ${tableName(name)} where ${quote(link.field)} = $2 union ${await everPointed(db, name, unquoted(link.field))}`
    : `select id from ${tableName(name)} union select rec from ${changesIn(name)}`
  const params: unknown[] = [position, ...(link ? [link.id] : [])]
  const own = ownPart(need.where, table, setting)
  const where = own ? conditionSql(own, table, setting, { quote, table: tableName }, 't', at, params.length) : null
  const field = fieldOf(table, need.order?.replace(/^-/, '') ?? 'id')
  const direction = need.order?.startsWith('-') ? 'desc nulls last' : 'asc nulls last'
  const rows = await many<{ image: Image }>(
    db,
    `select to_jsonb(t.*) as image from (${imagesAt(name, candidates, '$1::bigint')}) then_ cross join lateral jsonb_populate_record(null::${tableName(name)}, then_.image) t
      where then_.image is not null${link ? ` and t.${quote(link.field)} = $2` : ''}${where ? ` and ${where.text}` : ''}
      order by t.${quote(field?.name ?? 'id')} ${direction}, t.id`,
    [...params, ...(where?.params ?? [])],
  )
  const found = rows.map((r) => r.image)
  const images = need.where && !isExactInSql(need.where, table, setting) ? await meeting(db, found, entryTest(need.where, table, setting, at), loading, position, at) : found
  return need.limit ? images.slice(0, need.limit) : images
}

/** Most rounds of reading what conditions ask for; a path has few links. */
const MOST_ROUNDS = 20

/** Those of some entries that meet a condition which looks through links, with what these led to as it stood. */
async function meeting(
  db: Queryable,
  images: readonly Image[],
  test: (image: Image, lookups: LoadedLookups) => boolean,
  loading: Loading,
  position: Position,
  at: Date,
): Promise<Image[]> {
  const loaded = new Map<string, unknown>()
  for (let round = 0; round < MOST_ROUNDS; round++) {
    const lookups = new LoadedLookups(loaded)
    const kept = images.filter((image) => test(image, lookups))
    if (!lookups.lacking()) return kept
    await loadNeedsAsOf(db, lookups.needs(), loaded, loading, position, at)
  }
  throw new Error('A condition kept asking for more data and was stopped.')
}
