import { many, type Queryable, touch } from '../database'
import { readCatalog } from './catalog'
import { readAttached, readAttachedFields } from './fields'

/** Makes links of fields whose foreign keys lead to attached tables, and plain values of links that lead nowhere any more; answers the tables that changed. */
export async function linkAttached(db: Queryable): Promise<string[]> {
  const attached = await readAttached(db)
  const changed = new Set<string>()
  for (const { tbl, schema, name } of await many<{ tbl: string; schema: string; name: string }>(
    db,
    'select tbl, schema_name as schema, base_name as name from rappel.attached where trouble is null order by tbl',
  )) {
    const catalog = await readCatalog(db, schema, name)
    if (!catalog) continue
    for (const { field, attname, type } of await readAttachedFields(db, tbl)) {
      const link = catalog.links.find((l) => l.column === attname)
      const target = (link && attached(link.schema, link.table, link.references)) ?? null
      const plain = type === 'text' || type === 'uuid' ? 'text' : 'number'
      const rows = await touch(
        db,
        `update rappel.field_def set type = case when $3::text is null then $4 else 'link' end, target = $3::text
          where table_name = $1 and name = $2 and (type = 'link' or $3::text is not null) and target is distinct from $3::text`,
        [tbl, field, target, plain],
      )
      if (rows > 0) changed.add(tbl)
    }
  }
  return [...changed]
}
