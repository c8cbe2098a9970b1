-- Tables by the hundred: the view of all changes is put together anew only where a table comes, not each time its columns change.
create or replace function rappel.define_change_views(of_table text) returns void language plpgsql as $$
declare
  columns text := 'id, tbl, rec, kind, before, after, changed, at, xid, by, run, depth';
  over_all text := replace(columns, 'rec', 'rappel.key_of(rec) as rec');
begin
  execute format('create or replace view rappel_change.%I as %s', of_table, rappel.change_branch(of_table))
    || case when (select o.moved from rappel.log_of o where o.tbl = of_table) then '' else format(' union all select %s from rappel.change_json where tbl = %L', columns, of_table) end;
  if exists (select from pg_depend d join pg_rewrite r on r.oid = d.objid and d.classid = 'pg_rewrite'::regclass
              where r.ev_class = 'rappel.change'::regclass and d.refobjid = to_regclass(format('rappel_change.%I', of_table))) then
    return;
  end if;
  execute (
    select format('create or replace view rappel.change as select %1$s from rappel.change_json where tbl <> all(%2$L::text[])', over_all, array_agg(o.tbl))
        || string_agg(format(' union all select %s from rappel_change.%I', over_all, o.tbl), '' order by o.number)
      from rappel.log_of o where to_regclass(format('rappel_change.%I', o.tbl)) is not null);
end
$$;
