-- A statement that a trigger of somebody's runs within another statement is captured before that one, though it wrote later: what it did to the same rows would stand first in the log, and both
-- together would come to nothing. Its rows are put after those of the statement that it was run within.

-- The setting rappel.nested holds a transaction's positions in the log, one for each depth of triggers: of the statement under way there, where the first that was run within it began to be logged.
-- rappel.nested_at says of which statement of the client's that is.

-- Notes for the statements around the one being captured where it begins to be logged; answers that position.
create function rappel.note_nested() returns bigint language plpgsql as $$
declare
  this_at text := extract(epoch from statement_timestamp())::text;
  marks bigint[] := case when current_setting('rappel.nested_at', true) = this_at then nullif(current_setting('rappel.nested', true), '')::bigint[] end;
  here bigint := (select case when s.is_called then s.last_value else s.last_value - 1 end from rappel.change_id s);
begin
  if pg_trigger_depth() > 1 then
    for depth in 1 .. pg_trigger_depth() - 1 loop
      marks[depth] := coalesce(marks[depth], here);
    end loop;
    perform set_config('rappel.nested', marks::text, true), set_config('rappel.nested_at', this_at, true);
  end if;
  return here;
end
$$;

-- Where the first statement that was run within the one being captured began to be logged; null where none was.
create function rappel.nested_from() returns bigint language sql stable as $$
  select (nullif(current_setting('rappel.nested', true), '')::bigint[])[pg_trigger_depth()] where current_setting('rappel.nested_at', true) = extract(epoch from statement_timestamp())::text
$$;

-- Forgets what was run within statements at this depth of triggers and below, for they are over.
create function rappel.forget_nested() returns void language sql as $$
  select set_config('rappel.nested', coalesce(nullif(((nullif(current_setting('rappel.nested', true), '')::bigint[])[1:pg_trigger_depth() - 1])::text, '{}'), ''), true)
$$;

-- Puts what was run within the statement just captured after it: its rows of the records that this one wrote and that it went on from. Those of this one lie above `own_from`.
create function rappel.put_after(of_table text, this_xid xid8, own_from bigint) returns void language plpgsql as $$
begin
  if rappel.nested_from() is not null then
    execute format($q$
      with own as (select o.rec, o.after from rappel_change.%1$I o where o.xid = $1 and o.id > $3),
           nested as (select n.id, n.rec, n.before, n.after, row_number() over (partition by n.rec order by n.id) as nth
                        from rappel_change.%1$I n where n.xid = $1 and n.id > $2 and n.id <= $3 and n.rec in (select rec from own)),
           gone_on as (select f.rec from nested f join own o on o.rec = f.rec where f.nth = 1 and jsonb_strip_nulls(coalesce(f.after || f.before, f.before)) is not distinct from jsonb_strip_nulls(o.after)),
           later as materialized (select m.id as was, nextval('rappel.change_id') as id, m.rec from (select n.id, n.rec from nested n where n.rec in (select rec from gone_on) order by n.id) m),
           logged as (update %2$s l set id = m.id from later m where l.id = m.was and l.xid = $1),
           imaged as (update rappel.change_json l set id = m.id from later m where l.id = m.was and l.xid = $1 and l.tbl = %1$L),
           unqueued as (delete from rappel.queue q using later m, rappel.shards s where q.shard = rappel.place_of(%1$L, m.rec, s.n) and q.change_id = m.was and q.last is null and q.xid = $1)
      insert into rappel.queue (shard, change_id, tbl, rec, xid) select rappel.place_of(%1$L, m.rec, s.n), m.id, %1$L, rappel.key_of(m.rec), $1 from later m, rappel.shards s$q$,
      of_table, rappel.log_name(of_table)) using this_xid, rappel.nested_from(), own_from;
  end if;
end
$$;

-- What could not be logged as it came is logged in the order of its numbers, which are of the same sequence: what was run within it, and was left too, is to follow.
alter table rappel.unlogged_row drop constraint unlogged_row_statement_fkey;
alter table rappel.unlogged_row add constraint unlogged_row_statement_fkey foreign key (statement) references rappel.unlogged (id) on update cascade on delete cascade;
alter table rappel.unlogged alter id drop identity;
alter table rappel.unlogged alter id set default nextval('rappel.change_id');
alter table rappel.unlogged add column xid xid8 not null default pg_current_xact_id();
create or replace function rappel.leave_unlogged(of_table text, op text, at timestamptz, writer text, run bigint, depth int, error text) returns bigint language plpgsql as $$
declare
  kept bigint;
begin
  insert into rappel.unlogged (tbl, op, at, writer, run, depth, error) values (of_table, leave_unlogged.op, leave_unlogged.at, leave_unlogged.writer, leave_unlogged.run, leave_unlogged.depth, leave_unlogged.error)
    returning id into kept;
  if rappel.nested_from() is not null then
    update rappel.unlogged u set id = later.id
      from (select n.id as was, nextval('rappel.change_id') as id
              from (select u.id from rappel.unlogged u where u.tbl = of_table and u.xid = pg_current_xact_id() and u.id > rappel.nested_from() and u.id < kept order by u.id) n) later
     where u.id = later.was;
  end if;
  return kept;
end
$$;

-- Used up to 049.
create function rappel.mend(of_function regprocedure, was text, becomes text) returns void language plpgsql as $$
declare
  source text := pg_get_functiondef(of_function);
begin
  if position(was in source) = 0 then
    raise exception '% does not contain %', of_function, was;
  end if;
  execute replace(source, was, becomes);
end
$$;
select rappel.mend('rappel.attach_capture(text)', E'  written bigint := 1;\nbegin\n%12$s', E'  written bigint := 1;\n  has_nested boolean := coalesce(current_setting(''rappel.nested'', true), '''') <> '''';\n  own_from bigint;\nbegin
  if tg_when = ''BEFORE'' and tg_op <> ''TRUNCATE'' then
    perform rappel.forget_nested();
    return null;
  end if;
  if has_nested or pg_trigger_depth() > 1 then
    own_from := rappel.note_nested();
  end if;
%12$s');
select rappel.mend('rappel.attach_capture(text)', E'  get diagnostics written = row_count;\n%14$s', E'  get diagnostics written = row_count;
  if has_nested then
    perform rappel.put_after(%9$L, this_xid, own_from);
  end if;
%14$s');
select rappel.mend('rappel.attach_capture(text)', E'    if current_setting(''max_prepared_transactions'') = ''0'' then\n      perform pg_notify(''rappel_change'', '''');\n    end if;\n    return null;$s$',
  E'    if has_nested then\n      perform rappel.put_after(%1$L, this_xid, own_from);\n    end if;
    if current_setting(''max_prepared_transactions'') = ''0'' then\n      perform pg_notify(''rappel_change'', '''');\n    end if;\n    return null;$s$');
select rappel.mend('rappel.attach_capture(text)', E'tg_relid::regclass::text) using this_at, this_xid, this_by, this_run, this_depth;\n    get diagnostics written = row_count;',
  E'tg_relid::regclass::text) using this_at, this_xid, this_by, this_run, this_depth;\n    get diagnostics written = row_count;\n    if has_nested then\n      perform rappel.put_after(%1$L, this_xid, own_from);\n    end if;');

-- A statement that begins forgets what was run within those before it, which within one of the client's are told apart by nothing else. To ask whether anything was costs a single update a
-- fourteenth: it is asked of other programs' tables, and of Rappel's own where anybody else has triggers in this database.
create function rappel.has_others_triggers() returns boolean language sql stable as $$
  select exists (select from pg_trigger t join pg_proc p on p.oid = t.tgfoid join pg_namespace n on n.oid = p.pronamespace
                  where not t.tgisinternal and n.nspname not in ('rappel', 'graphile_worker') and t.tgtype & 66 = 0) -- neither before nor instead of what fires it
$$;
create function rappel.lacking_begin() returns setof text language sql stable as $$
  select d.name from rappel.table_def d
   where rappel.has_others_triggers() and not exists (select from rappel.attached a where a.tbl = d.name)
     and not exists (select from pg_trigger t where t.tgrelid = to_regclass(format('data.%I', d.name)) and t.tgname = 'rappel_capture_begin')
$$;
select rappel.mend('rappel.set_triggers(text)', $q$'create or replace trigger %I %s on %s %s for each statement execute function$q$, $q$'create or replace trigger %I %s on %s %s for each %s execute function$q$);
select rappel.mend('rappel.set_triggers(text)', $q$case one.trigger when 'rappel_capture_insert' then 'after insert'$q$, $q$case one.trigger when 'rappel_capture_begin' then 'before insert or update or delete' when 'rappel_capture_insert' then 'after insert'$q$);
select rappel.mend('rappel.set_triggers(text)', $q$else '' end, 'capture_' || of_table);$q$,
  $q$else '' end, case one.trigger when 'rappel_capture_begin' then $w$statement when (current_setting('rappel.nested', true) <> '')$w$ else 'statement' end, 'capture_' || of_table);$q$);
-- Functions and triggers of the tables that are there are made anew once all of that stands (048).
