import type { Setting } from '@/core/conditions/compile'
import { conditionSql } from '@/core/conditions/sql'
import { must } from '@/core/must'
import { type FreshNeed, type ListNeed, LookupFault, type Need, needKey } from '@/core/paths/lookups'
import { reachOf } from '@/core/paths/near'
import { fieldOf, type Image, type RecordId, type Stored } from '@/core/values/tables'
import { inSavepoint, many, one, type Queryable, quote, tableName } from './database'
import { readFileInfos } from './files'
import { readGroup, readTeam } from './people'
import { isFaultOfData } from './problems'
import { readRecords } from './records'

/** How needs are loaded: with what conditions are compiled, and whether ids may be reserved or are only pretended. */
export interface Loading {
  readonly setting: Setting
  readonly dry: boolean
  /** Whether `db` is within a transaction, which what fails must not spoil. */
  readonly inTransaction?: boolean
  /** Attached tables that their owners hold: nothing can be read of them. */
  readonly held?: ReadonlySet<string>
}

/** The table that keeps a need from being read now, as its owner holds it; null where none does. */
export function heldUp(need: Need, { held, setting }: Loading): string | null {
  if (!held?.size || !('table' in need)) return null
  const spoken = need.kind === 'list' && need.where ? reachOf(setting.schema, [need.table]) : [need.table] // conditions may go over links
  return [...spoken].find((table) => held.has(table)) ?? null
}

/** Needs that are read together, and fail together. */
interface Part {
  readonly needs: readonly Need[]
  readonly load: (loaded: Map<string, unknown>) => Promise<void>
}

/**
 * Loads what evaluations found they need into `loaded`: records in one query a table, lists of one kind in one query, whatever is not there as null,
 * whatever cannot be read as a LookupFault, so that it fails those alone who asked for it.
 */
export async function loadNeeds(db: Queryable, needs: readonly Need[], loaded: Map<string, unknown>, loading: Loading): Promise<void> {
  const apart = <T>(work: () => Promise<T>) => (loading.inTransaction ? inSavepoint(db, work) : work())
  const parts = partsOf(
    db,
    needs.filter((need) => !loaded.has(needKey(need))),
    loading,
  )
  if (parts.length === 0) return
  try {
    await apart(async () => {
      for (const part of parts) await part.load(loaded)
    })
  } catch (error) {
    if (!isFaultOfData(error)) throw error
    for (const part of parts) await loadOrFault(part, loaded, apart)
  }
}

async function loadOrFault({ needs, load }: Part, loaded: Map<string, unknown>, apart: <T>(work: () => Promise<T>) => Promise<T>): Promise<void> {
  try {
    await apart(() => load(loaded))
  } catch (error) {
    if (!isFaultOfData(error)) throw error
    for (const need of needs) loaded.set(needKey(need), faultOf(need, error))
  }
}

/** That something could not be read, in words. */
export function faultOf(need: Need, error: unknown): LookupFault {
  const why = error instanceof Error ? error.message.replace(/\.$/, '') : String(error)
  const what =
    need.kind === 'list'
      ? `The list of ${need.table}`
      : need.kind === 'record'
        ? `A record of ${need.table}`
        : need.kind === 'fresh'
          ? `A new record of ${need.table}`
          : `The ${need.kind}`
  return new LookupFault(`${what} could not be read: ${why}.`)
}

function partsOf(db: Queryable, open: readonly Need[], loading: Loading): Part[] {
  const of = <K extends Need['kind']>(kind: K) => open.filter((need): need is Extract<Need, { kind: K }> => need.kind === kind)
  const records = of('record')
  const each = <N extends Need>(needs: readonly N[], read: (need: N) => Promise<unknown>): Part[] =>
    needs.map((need) => ({ needs: [need], load: async (loaded) => void loaded.set(needKey(need), await read(need)) }))
  const together = <N extends Need>(needs: readonly N[], load: (needs: readonly N[], loaded: Map<string, unknown>) => Promise<void>): Part[] =>
    needs.length ? [{ needs, load: (loaded) => load(needs, loaded) }] : []
  return [
    ...[...new Set(records.map((n) => n.table))].flatMap((table) =>
      together(
        records.filter((n) => n.table === table),
        (wanted, loaded) => loadRecords(db, table, wanted, loaded),
      ),
    ),
    ...alikeLists(of('list')).flatMap((alike) => together(alike, (wanted, loaded) => loadLists(db, wanted, loaded, loading))),
    ...together(of('suppression'), (wanted, loaded) => loadSuppressions(db, wanted, loaded)),
    ...together(of('file'), (wanted, loaded) => loadFiles(db, wanted, loaded)),
    ...each(of('group'), (need) => readGroup(db, need.name)),
    ...each(of('team'), (need) => readTeam(db, need.name)),
    ...each(of('fresh'), (need) => freshRecord(db, need, loading)),
  ]
}

async function loadRecords(db: Queryable, table: string, wanted: readonly Extract<Need, { kind: 'record' }>[], loaded: Map<string, unknown>): Promise<void> {
  const found = await readRecords(
    db,
    table,
    wanted.map((n) => n.id),
  )
  for (const need of wanted) loaded.set(needKey(need), found.get(String(need.id)) ?? null)
  await loadSuppressions(db, soonAsked(wanted, loaded), loaded)
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

/** Lists that differ only in the record they belong to, which are read together. */
function alikeLists(needs: readonly ListNeed[]): ListNeed[][] {
  const kinds = new Map<string, ListNeed[]>()
  for (const need of needs) {
    const kind = JSON.stringify([need.table, need.link?.field, need.where, need.order, need.at])
    pushTo(kinds, kind, need)
  }
  return [...kinds.values()]
}

/** Most entries of a list; one that has more fails those who ask for it rather than be cut. */
const MOST_ENTRIES = 100_000

/** Reads lists that are alike; the limit is then each list's own. Where they are too many together they are read in halves. */
async function loadLists(db: Queryable, alike: readonly ListNeed[], loaded: Map<string, unknown>, loading: Loading): Promise<void> {
  const images = await readLists(db, alike, loading)
  if (images.length > MOST_ENTRIES) {
    if (alike.length === 1) throw new Error(`it has more than ${MOST_ENTRIES.toLocaleString('en')} entries; narrow it by conditions, or give it a limit`)
    const half = Math.ceil(alike.length / 2)
    await loadLists(db, alike.slice(0, half), loaded, loading)
    return loadLists(db, alike.slice(half), loaded, loading)
  }
  const byLink = new Map<string, Image[]>()
  const field = alike[0]?.link?.field
  if (field) for (const image of images) pushTo(byLink, String(image[field]), image)
  for (const need of alike) {
    const own = need.link ? (byLink.get(String(need.link.id)) ?? []) : images
    loaded.set(needKey(need), need.limit ? own.slice(0, need.limit) : own)
  }
}

function pushTo<K, V>(map: Map<K, V[]>, key: K, value: V): void {
  const list = map.get(key)
  if (list) list.push(value)
  else map.set(key, [value])
}

async function readLists(db: Queryable, alike: readonly ListNeed[], { setting }: Loading): Promise<Image[]> {
  const [{ table: name, link, where, order, at, limit }] = alike as [ListNeed, ...ListNeed[]]
  const table = setting.schema.get(name)
  if (!table) return []
  const params: unknown[] = []
  const conditions: string[] = []
  if (link) {
    params.push([...new Set(alike.map((n) => n.link?.id))])
    conditions.push(`t.${quote(link.field)} = any($1)`)
  }
  if (where) {
    const sql = conditionSql(where, table, setting, { quote, table: tableName }, 't', at ? new Date(at) : new Date(), params.length)
    params.push(...sql.params)
    conditions.push(sql.text)
  }
  const field = fieldOf(table, order?.replace(/^-/, '') ?? 'id')
  const direction = order?.startsWith('-') ? 'desc nulls last' : 'asc nulls last'
  const text = `select to_jsonb(t.*) as image from ${tableName(name)} t ${conditions.length ? `where ${conditions.join(' and ')}` : ''} order by t.${quote(field?.name ?? 'id')} ${direction}, t.id limit ${Math.min(alike.length === 1 && limit ? limit : Number.POSITIVE_INFINITY, MOST_ENTRIES + 1)}`
  return (await many<{ image: Image }>(db, text, params)).map((r) => r.image)
}

/** Reserves the id and automatic numbers of a record to be created; dry, it only shows where they will stand. */
async function freshRecord(db: Queryable, { table: name }: FreshNeed, { setting, dry }: Loading): Promise<Image> {
  const numbers = setting.schema.get(name)?.fields.filter((f) => f.number) ?? []
  if (dry) return { id: null, ...Object.fromEntries(numbers.map((f) => [f.name, must(f.number).replace(/\{0+\}/, '…')])) }
  const { id } = setting.schema.get(name)?.key
    ? await one<{ id: RecordId }>(db, 'select gen_random_uuid() as id')
    : await one<{ id: RecordId }>(db, `select nextval(pg_get_serial_sequence($1, 'id')) as id`, [tableName(name)])
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
