import { type Queryable, touch } from '../database'

/**
 * Makes links of attached tables' fields whose foreign keys lead to the key of another one, and plain values of links that lead nowhere any more; how many there were.
 */
export const linkAttached = (db: Queryable): Promise<number> =>
  touch(
    db,
    `update rappel.field_def d set type = case when l.target is not null then 'link' when l.type in ('text', 'uuid') then 'text' else 'number' end, target = l.target
       from (select f.tbl, f.field, f.type,
                    (select t.tbl from pg_constraint k join rappel.attached t on t.base = k.confrelid join rappel.attached_field key on key.tbl = t.tbl and key.field = 'id' and key.attnum = k.confkey[1]
                      where k.contype = 'f' and k.conrelid = c.oid and k.conkey = array[f.attnum]::int2[] and k.conparentid = 0 order by k.oid limit 1) as target
               from rappel.attached a join pg_class c on c.oid = a.base join rappel.attached_field f on f.tbl = a.tbl where a.trouble is null) l
      where d.table_name = l.tbl and d.name = l.field and (d.type = 'link' or l.target is not null) and d.target is distinct from l.target`,
  )
