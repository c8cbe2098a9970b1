-- Logical replication fires no triggers of statements, and of rows only those that are enabled for it (PostgreSQL 15, 31.9 "Architecture" of logical replication; ALTER TABLE, "ENABLE REPLICA TRIGGER"):
-- of an attached table that a subscription writes, each row is recorded by itself.

-- Whether a subscription writes to a table or a part of it.
create function rappel.is_replicated(base regclass) returns boolean language sql stable as $$
  select exists (select from pg_subscription_rel s where s.srrelid in (select p.part from rappel.parts_of(base) p))
$$;

create or replace function rappel.wanted_triggers(of_table text) returns table (part regclass, trigger text) language sql stable as $$
  select p.part, 'rappel_capture_' || t from rappel.parts_of(rappel.base_of(of_table)) p, unnest('{begin,insert,update,delete,truncate}'::text[]) t
   where (t <> 'truncate' or p.is_leaf) and (t <> 'begin' or rappel.has_others_triggers() or exists (select from rappel.attached a where a.tbl = of_table))
  union all
  select a.base, 'rappel_capture_row' from rappel.attached a where a.tbl = of_table and a.trouble is null and rappel.is_replicated(a.base)
$$;

-- Those of them that are not there.
create function rappel.missing_triggers(of_table text) returns table (part regclass, trigger text) language sql stable as $$
  select w.part, w.trigger from rappel.wanted_triggers(of_table) w where not exists (select from pg_trigger t where t.tgrelid = w.part and t.tgname = w.trigger)
$$;
create or replace function rappel.lacks_triggers(of_table text) returns boolean language sql stable as $$ select exists (select from rappel.missing_triggers(of_table)) $$;

-- What the owner of a table has to run for what replication writes to be recorded; null where nothing. Whoever may set triggers may not say when they fire.
create function rappel.replication_sql(of_table text) returns text language sql stable as $$
  select string_agg(format('alter table %I.%I enable %s trigger %I;', n.nspname, c.relname, case w.trigger when 'rappel_capture_row' then 'replica' else 'always' end, w.trigger), ' ' order by w.trigger, c.relname)
    from rappel.wanted_triggers(of_table) w join pg_class c on c.oid = w.part join pg_namespace n on n.oid = c.relnamespace join pg_trigger t on t.tgrelid = w.part and t.tgname = w.trigger
   where (w.trigger = 'rappel_capture_row' and t.tgenabled not in ('R', 'A') or w.trigger = 'rappel_capture_truncate' and t.tgenabled <> 'A')
     and exists (select from rappel.wanted_triggers(of_table) r where r.trigger = 'rappel_capture_row')
$$;

create or replace function rappel.is_uncaptured(of_table text) returns boolean language sql stable as $$
  select exists (select from rappel.wanted_triggers(of_table) w
                  where not exists (select from pg_trigger t where t.tgrelid = w.part and t.tgname = w.trigger and (t.tgenabled in ('O', 'A') or w.trigger = 'rappel_capture_row')))
$$;

select rappel.mend('rappel.set_triggers(text)', $q$when 'rappel_capture_begin' then 'before insert or update or delete' when$q$, $q$when 'rappel_capture_begin' then 'before insert or update or delete' when 'rappel_capture_row' then 'after insert or update or delete' when$q$);
select rappel.mend('rappel.set_triggers(text)', $q$ <> '')$w$ else 'statement' end$q$, $q$ <> '')$w$
           -- Switched on for everybody by whoever switches on all of them, it does nothing where statements are recorded.
           when 'rappel_capture_row' then $w$row when (current_setting('session_replication_role') = 'replica')$w$ else 'statement' end$q$);
select rappel.mend('rappel.set_triggers(text)', E'select w.part, w.trigger from rappel.wanted_triggers(of_table) w\n              where not exists (select from pg_trigger t where t.tgrelid = w.part and t.tgname = w.trigger) loop',
  'select m.part, m.trigger from rappel.missing_triggers(of_table) m loop');
select rappel.mend('rappel.set_triggers(text)', E'  end loop;\nend', E'  end loop;
  if rappel.replication_sql(of_table) is not null then
    begin
      execute rappel.replication_sql(of_table);
    exception when insufficient_privilege then
      null; -- its owner is told
    end;
  end if;
end');

-- The function of an attached table records a row where it is fired for one.
select rappel.mend('rappel.attach_capture(text)', E'  if has_nested or pg_trigger_depth() > 1 then\n    own_from', E'%15$s\n  if has_nested or pg_trigger_depth() > 1 then\n    own_from');
select rappel.mend('rappel.attach_capture(text)', E'  if tg_op = ''INSERT'' then\n    %2$s;', E'%16$sif tg_op = ''INSERT'' then\n    %2$s;');
select rappel.mend('rappel.attach_capture(text)', E'rappel.shape_of(target)) else '''' end);', $m$rappel.shape_of(target)) else '' end,
    case when is_attached then $s$  -- Rows that replication writes are recorded one by one, whatever else is switched on.
  if tg_level = 'STATEMENT' and tg_op <> 'TRUNCATE' and current_setting('session_replication_role') = 'replica'
     and exists (select from pg_trigger t where t.tgrelid = tg_relid and t.tgname = 'rappel_capture_row' and t.tgenabled in ('R', 'A')) then
    return null;
  end if;$s$ else '' end,
    case when is_attached then format($s$  if tg_level = 'ROW' then
    if tg_op = 'INSERT' then
      with new_rows as (select new.*), %s;
    elsif tg_op = 'UPDATE' then
      with old_rows as (select old.*), new_rows as (select new.*), %s;
    else
      with old_rows as (select old.*), %s;
    end if;
  els$s$, substr(rappel.with_names(format(one, sql_insert)), 6), substr(rappel.with_names(format(one, sql_update)), 6), substr(rappel.with_names(format(one, sql_delete)), 6)) else '' end);$m$);
select rappel.mend('rappel.attach_capture(text)', E'this_depth, sqlerrm);\n      if tg_op in (''INSERT'', ''UPDATE'') then', E'this_depth, sqlerrm);
      if tg_level = ''ROW'' then
        insert into rappel.unlogged_row select kept, ''n'', to_jsonb(new) where tg_op <> ''DELETE'';
        insert into rappel.unlogged_row select kept, ''o'', to_jsonb(old) where tg_op <> ''INSERT'';
      elsif tg_op in (''INSERT'', ''UPDATE'') then');
select rappel.mend('rappel.attach_capture(text)', E'      if tg_op in (''DELETE'', ''UPDATE'') then', E'      if tg_level = ''STATEMENT'' and tg_op in (''DELETE'', ''UPDATE'') then');

-- Lists, ranges, lengths of time and rows are recorded as texts, which are written by settings of the writer's session; they are read by Rappel's.
create function rappel.is_written_by_settings(of_table text) returns boolean language sql stable as $$
  select exists (select from rappel.attached t join rappel.attached_field f on f.tbl = t.tbl join pg_attribute a on a.attrelid = t.base and a.attnum = f.attnum join pg_type y on y.oid = rappel.plain_type(a.atttypid)
                  where t.tbl = of_table and f.type = 'text' and y.typcategory in ('A', 'R', 'T', 'C'))
$$;
select rappel.mend('rappel.attach_capture(text)', $q$case when is_attached then 'set lock_timeout = ''2s''' else '' end$q$,
  $q$case when is_attached then 'set lock_timeout = ''2s''' else '' end
      || case when rappel.is_written_by_settings(tbl) then ' set timezone = ''UTC'' set datestyle = ''ISO, MDY'' set intervalstyle = ''postgres'' set extra_float_digits = 1' else '' end$q$);

-- How an attached table is read was written down with its name as whoever attached it would call it, without its schema where that was looked in. Sessions look in none any more.
create function rappel.qualify_reading(of_table text) returns void language plpgsql as $$
declare
  definition text;
begin
  select replace(pg_get_functiondef(p.oid), format(' from %I t', c.relname), format(' from %I.%I t', n.nspname, c.relname)) into definition
    from rappel.attached a join pg_class c on c.oid = a.base join pg_namespace n on n.oid = c.relnamespace
    join pg_proc p on p.pronamespace = 'rappel'::regnamespace and p.proname = 'read_' || a.tbl where a.tbl = of_table;
  if definition is not null then
    execute definition;
  end if;
end
$$;
select rappel.qualify_reading(tbl) from rappel.attached;
