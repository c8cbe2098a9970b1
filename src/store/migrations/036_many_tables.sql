-- Tables by the hundred. Whoever asks for changes of all of them without their images reads a view without these: to plan the reading of a hundred tables' images takes gigabytes. Both views
-- are put together anew only where a log comes, not each time a table's columns change.
create or replace function rappel.define_change_views(of_table text) returns void language plpgsql as $$
declare
  columns text := 'id, tbl, rec, kind, before, after, changed, at, xid, by, run, depth';
  over_all text := replace(columns, 'rec', 'rappel.key_of(rec) as rec');
begin
  execute format('create or replace view rappel_change.%I as %s', of_table, rappel.change_branch(of_table))
    || case when (select o.moved from rappel.log_of o where o.tbl = of_table) then '' else format(' union all select %s from rappel.change_json where tbl = %L', columns, of_table) end;
  if exists (select from pg_depend d join pg_rewrite r on r.oid = d.objid and d.classid = 'pg_rewrite'::regclass
              where r.ev_class = to_regclass('rappel.change') and d.refobjid = to_regclass(format('rappel_change.%I', of_table)))
     and exists (select from pg_depend d join pg_rewrite r on r.oid = d.objid and d.classid = 'pg_rewrite'::regclass
                  where r.ev_class = to_regclass('rappel.change_bare') and d.refobjid = to_regclass(rappel.log_name(of_table))) then
    return;
  end if;
  execute (
    select format('create or replace view rappel.change as select %1$s from rappel.change_json where tbl <> all(%2$L::text[])', over_all, array_agg(o.tbl))
        || string_agg(format(' union all select %s from rappel_change.%I', over_all, o.tbl), '' order by o.number)
      from rappel.log_of o where to_regclass(format('rappel_change.%I', o.tbl)) is not null);
  execute (
    select 'create or replace view rappel.change_bare as select id, tbl, rappel.key_of(rec) as rec, kind::text as kind, at, xid, by, run, depth from rappel.change_json'
        || coalesce(string_agg(format(' union all select l.id, %L::text, rappel.key_of(l.rec), l.kind::text, l.at, l.xid, (select a.by from rappel.actor a where a.id = l.actor), l.run, l.depth from %s l',
                                      o.tbl, rappel.log_name(o.tbl)), '' order by o.number), '')
      from rappel.log_of o where to_regclass(rappel.log_name(o.tbl)) is not null);
end
$$;
create view rappel.change_bare as select id, tbl, rappel.key_of(rec) as rec, kind::text as kind, at, xid, by, run, depth from rappel.change_json;

select rappel.mend('rappel.follow_key(text)', 'drop view rappel.change;', 'drop view if exists rappel.change, rappel.change_bare;');
select rappel.mend('rappel.drop_old_changes(int)', 'rappel.queue q join rappel.change c', 'rappel.queue q join rappel.change_bare c');
select rappel.mend('rappel.drop_old_changes(int)', 'rappel.catch_up l join rappel.change c', 'rappel.catch_up l join rappel.change_bare c');
drop function rappel.mend;
select rappel.define_change_views(name) from rappel.table_def order by position;

-- What each workflow did of late is counted from indexes alone, and what was sent of late is found by when it was.
drop index rappel.run_by_time;
create index run_by_time on rappel.run (at desc, id desc) include (workflow, state);
drop index rappel.message_by_time;
create index message_by_time on rappel.message (created_at desc) include (workflow, state);
create index message_by_end on rappel.message (finished_at) where finished_at is not null;
