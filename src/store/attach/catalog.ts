import type { CatalogTable } from '@/core/attach/catalog'
import { textColumns } from '@/core/attach/describe'
import { Column } from '@/core/bulk/propose'
import { SCHEMAS } from '../access/database-role'
import { many, type Queryable, quote } from '../database'
import { readSettings } from '../settings'

/** Schemas whose tables are never other programs'. */
const OWN = [...SCHEMAS, 'information_schema']

const COLUMNS = `(
  select coalesce(json_agg(json_build_object('name', a.attname, 'attnum', a.attnum, 'seen', s.seen, 'type', s.type, 'plain', rappel.plain_type(a.atttypid)::regtype::text,
    'required', a.attnotnull and not a.atthasdef and a.attidentity = '' and not exists (select from pg_type t where t.oid = a.atttypid and t.typdefault is not null),
    'isReadOnly', a.attgenerated <> '' or a.attidentity = 'a' or rappel.plain_type(a.atttypid) not in (select t.oid from pg_type t where t.typcategory in ('B', 'D', 'E', 'N', 'S') or t.typname = 'uuid'),
    'labels', (select json_agg(e.enumlabel order by e.enumsortorder) from pg_enum e where e.enumtypid = rappel.plain_type(a.atttypid)),
    'checks', (select coalesce(json_agg(pg_get_constraintdef(k.oid)), '[]') from pg_constraint k where k.contype = 'c' and (k.conrelid = c.oid and k.conkey = array[a.attnum] or k.contypid = a.atttypid))
  ) order by a.attnum), '[]')
    from pg_attribute a cross join lateral rappel.seen_as(a.attname::text, a.atttypid, $2) s where a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped)`

const HAS_FIELDS = `exists (
  select from pg_attribute a cross join lateral rappel.seen_as(a.attname::text, a.atttypid, $2) s
   where a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped and s.seen is not null
     and not exists (select from pg_constraint x where x.conrelid = c.oid and x.contype = 'p' and a.attnum = any(x.conkey)))`

const LINKS = `(
  select coalesce(json_agg(json_build_object('column', a.attname, 'schema', rn.nspname, 'table', r.relname, 'references', ra.attname)), '[]')
    from pg_constraint k join pg_attribute a on a.attrelid = k.conrelid and a.attnum = k.conkey[1] join pg_class r on r.oid = k.confrelid join pg_namespace rn on rn.oid = r.relnamespace
    join pg_attribute ra on ra.attrelid = k.confrelid and ra.attnum = k.confkey[1]
   where k.contype = 'f' and k.conrelid = c.oid and cardinality(k.conkey) = 1 and k.conparentid = 0)`

const APPLIES = `exists (select from unnest(y.polroles) o (id) where o.id = 0 or pg_has_role(o.id, 'usage'))`

/** Whether row security is active for whoever asks, and no policy lets all rows be read, or one narrows that (PostgreSQL 15, 5.8 "Row Security Policies"). */
const HIDES_ROWS = `exists (
  select from rappel.parts_of(c.oid) p
   where row_security_active(p.part)
     and (not exists (select from pg_policy y where y.polrelid = p.part and y.polpermissive and y.polcmd in ('r', '*') and ${APPLIES} and pg_get_expr(y.polqual, y.polrelid) = 'true')
          or exists (select from pg_policy y where y.polrelid = p.part and not y.polpermissive and y.polcmd in ('r', '*') and ${APPLIES} and pg_get_expr(y.polqual, y.polrelid) <> 'true')))`

const has = (privilege: string) => `coalesce((select bool_and(has_table_privilege(p.part, '${privilege}')) from rappel.parts_of(c.oid) p), false)`

/** Tables of other programs as the catalogue has them: one, or all in order. */
async function readTables(db: Queryable, one: { readonly schema: string; readonly table: string } | null): Promise<CatalogTable[]> {
  const { zone } = await readSettings(db)
  return many<CatalogTable>(
    db,
    `select n.nspname as schema, c.relname as name,
            case c.relkind when 'p' then 'partitioned table' when 'v' then 'view' when 'm' then 'materialized view' when 'f' then 'foreign table' else 'table' end as kind,
            (select json_agg(json_build_object('name', a.attname, 'plain', rappel.plain_type(a.atttypid)::regtype::text) order by k.place)
               from pg_constraint x cross join lateral unnest(x.conkey) with ordinality k (attnum, place) join pg_attribute a on a.attrelid = x.conrelid and a.attnum = k.attnum
              where x.conrelid = c.oid and x.contype = 'p') as key,
            c.relkind = 'r' and exists (select from pg_inherits i where i.inhparent = c.oid or i.inhrelid = c.oid) as inherits,
            ${HIDES_ROWS} as "hidesRows", rappel.is_replicated(c.oid) as "isReplicated", pg_has_role(c.relowner, 'usage') as "isOwn",
            json_build_object('use', has_schema_privilege(n.oid, 'usage'), 'select', ${has('select')}, 'trigger', ${has('trigger')},
                              'insert', has_table_privilege(c.oid, 'insert'), 'update', has_any_column_privilege(c.oid, 'update'), 'delete', has_table_privilege(c.oid, 'delete')) as may,
            nullif(case when c.relkind = 'p' then (select sum(greatest(x.reltuples, 0)) from pg_partition_tree(c.oid) t join pg_class x on x.oid = t.relid) else c.reltuples end, -1)::float as rows,
            ${HAS_FIELDS} as "hasFields", (select count(*) from pg_attribute a where a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped)::int as width, ${one ? COLUMNS : `'[]'::json`} as columns, ${one ? LINKS : `'[]'::json`} as links,
            current_user::text as role, (select a.tbl from rappel.attached a where a.base = c.oid) as "attachedAs"
       from pg_class c join pg_namespace n on n.oid = c.relnamespace
      where c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition and n.nspname <> all($1) and n.nspname !~ '^pg_'
        and not exists (select from pg_depend d where d.classid = 'pg_class'::regclass and d.objid = c.oid and d.deptype = 'e')
        ${one ? 'and n.nspname = $3 and c.relname = $4' : ''}
      order by n.nspname, c.relname limit 2000`,
    [OWN, zone, ...(one ? [one.schema, one.table] : [])],
  )
}

/** Every table, view and foreign table of other programs, without columns. */
export const listCatalog = (db: Queryable): Promise<CatalogTable[]> => readTables(db, null)

/** A table of another program whole, or null. */
export const readCatalog = async (db: Queryable, schema: string, table: string): Promise<CatalogTable | null> => (await readTables(db, { schema, table }))[0] ?? null

/** How many rows are looked at for what their texts are. */
const SAMPLE = 300

/** What some of a table's rows say of its columns of texts. */
export async function sampleTexts(db: Queryable, table: CatalogTable): Promise<Map<string, Column>> {
  const samples = new Map(textColumns(table).map((name) => [name, new Column(name)]))
  if (samples.size === 0) return samples
  const columns = [...samples.keys()].map((name) => `left(${quote(name)}::text, 400)`).join(', ')
  const rows = await many<{ texts: (string | null)[] }>(db, `select array[${columns}] as texts from ${quote(table.schema)}.${quote(table.name)} limit ${SAMPLE}`)
  for (const { texts } of rows) [...samples.values()].forEach((column, i) => column.add(texts[i] ?? null))
  return samples
}
