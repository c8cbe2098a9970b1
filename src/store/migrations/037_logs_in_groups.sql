-- Tables by the five hundred. The views over all logs are put together of groups of 32, so that a new table's log means a new view of its group alone, not one over all that there are.
create function rappel.define_group(g int) returns void language plpgsql as $$
declare
  over_all text := 'id, tbl, rappel.key_of(rec) as rec, kind, before, after, changed, at, xid, by, run, depth';
begin
  execute (
    select format('create or replace view rappel.changes_%s as ', g) || string_agg(format('select %s from rappel_change.%I', over_all, o.tbl), ' union all ' order by o.number)
      from rappel.log_of o where o.number / 32 = g and to_regclass(format('rappel_change.%I', o.tbl)) is not null);
  execute (
    select format('create or replace view rappel.bare_changes_%s as ', g)
        || string_agg(format('select l.id, %L::text as tbl, rappel.key_of(l.rec) as rec, l.kind::text as kind, l.at, l.xid, (select a.by from rappel.actor a where a.id = l.actor) as by, l.run, l.depth from %s l',
                             o.tbl, rappel.log_name(o.tbl)), ' union all ' order by o.number)
      from rappel.log_of o where o.number / 32 = g and to_regclass(format('rappel_change.%I', o.tbl)) is not null);
end
$$;

create or replace function rappel.define_change_views(of_table text) returns void language plpgsql as $$
declare
  columns text := 'id, tbl, rec, kind, before, after, changed, at, xid, by, run, depth';
  over_all text := replace(columns, 'rec', 'rappel.key_of(rec) as rec');
  of_group int := (select o.number / 32 from rappel.log_of o where o.tbl = of_table);
begin
  execute format('create or replace view rappel_change.%I as %s', of_table, rappel.change_branch(of_table))
    || case when (select o.moved from rappel.log_of o where o.tbl = of_table) then '' else format(' union all select %s from rappel.change_json where tbl = %L', columns, of_table) end;
  if not (rappel.reads_from('rappel.changes_' || of_group, format('rappel_change.%I', of_table)) and rappel.reads_from('rappel.bare_changes_' || of_group, rappel.log_name(of_table))) then
    perform rappel.define_group(of_group);
  end if;
  if rappel.reads_from('rappel.change', 'rappel.changes_' || of_group) and rappel.reads_from('rappel.change_bare', 'rappel.bare_changes_' || of_group) then
    return;
  end if;
  perform rappel.define_group(g) from (select o.number / 32 as g from rappel.log_of o where to_regclass(format('rappel_change.%I', o.tbl)) is not null group by 1) groups
    where to_regclass('rappel.changes_' || g) is null;
  execute (
    select format('create or replace view rappel.change as select %s from rappel.change_json where tbl not in (select o.tbl from rappel.log_of o)', over_all)
        || coalesce(string_agg(format(' union all select %s from rappel.changes_%s', columns, g), '' order by g), '')
      from (select distinct o.number / 32 as g from rappel.log_of o) groups where to_regclass('rappel.changes_' || g) is not null);
  execute (
    select 'create or replace view rappel.change_bare as select id, tbl, rappel.key_of(rec) as rec, kind::text as kind, at, xid, by, run, depth from rappel.change_json'
        || coalesce(string_agg(format(' union all select id, tbl, rec, kind, at, xid, by, run, depth from rappel.bare_changes_%s', g), '' order by g), '')
      from (select distinct o.number / 32 as g from rappel.log_of o) groups where to_regclass('rappel.bare_changes_' || g) is not null);
end
$$;

-- Whether a view reads from a table or another view; false where either is not there.
create function rappel.reads_from(of_view text, what text) returns boolean language sql stable as $$
  select exists (select from pg_depend d join pg_rewrite r on r.oid = d.objid and d.classid = 'pg_rewrite'::regclass where r.ev_class = to_regclass(of_view) and d.refobjid = to_regclass(what))
$$;

-- Where a key gets another type, the views of its group go and are put together anew.
create or replace function rappel.follow_key(tbl text) returns void language plpgsql as $$
#variable_conflict use_variable
declare
  wanted text := rappel.key_type(format('data.%I', tbl)::regclass);
  the_log text := rappel.log_name(tbl);
begin
  if to_regclass(the_log) is null or wanted = (select format_type(a.atttypid, null) from pg_attribute a where a.attrelid = to_regclass(the_log) and a.attname = 'rec') then
    return;
  end if;
  drop view if exists rappel.change, rappel.change_bare;
  execute (select coalesce(string_agg(format('drop view if exists rappel.changes_%1$s, rappel.bare_changes_%1$s;', o.number / 32), ' '), 'select') from rappel.log_of o where o.tbl = tbl);
  execute format('drop view if exists rappel_change.%I', tbl);
  begin
    execute format('alter table %s alter column rec type %s using rec::text::%2$s', the_log, wanted);
  exception when data_exception then
    execute format('alter table %s rename to %I', the_log, tbl || '~' || (select l.number from rappel.log_of l where l.tbl = tbl));
    delete from rappel.log_of l where l.tbl = tbl;
  end;
end
$$;

drop view rappel.change, rappel.change_bare;
select rappel.define_change_views(name) from rappel.table_def where exists (select from rappel.log_of o where o.tbl = name) order by position;
do $$
begin
  if to_regclass('rappel.change') is null then
    create view rappel.change as select id, tbl, rappel.key_of(rec) as rec, kind, before, after, changed, at, xid, by, run, depth from rappel.change_json where tbl not in (select o.tbl from rappel.log_of o);
    create view rappel.change_bare as select id, tbl, rappel.key_of(rec) as rec, kind::text as kind, at, xid, by, run, depth from rappel.change_json;
  end if;
end
$$;
