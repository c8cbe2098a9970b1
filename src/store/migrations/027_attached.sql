-- Tables that other programs own are attached: watched where they are, by nothing but triggers. In schema data each is a view over a function; a view over the table itself, whose
-- columns it would depend on, would keep its owner from dropping them.
create table rappel.attached (
  tbl text primary key references rappel.table_def (name) on delete cascade,
  base regclass not null,
  -- Its number when its columns were looked at last: a dump that is restored gives it another, and its columns too.
  base_oid oid not null,
  schema_name text not null,
  base_name text not null,
  -- Its columns when it was looked at last, and the zone that its moments without one are read in.
  shape bigint,
  zone text not null default 'UTC',
  -- Why it cannot be read or watched any more, as a sentence.
  trouble text
);

-- The columns of attached tables, by the fields they are: how each is read of a row called ‹r›, in a type that fields have.
create table rappel.attached_field (
  tbl text not null references rappel.attached (tbl) on delete cascade,
  field text not null,
  attnum int not null,
  attname text not null,
  seen text not null,
  type text not null,
  is_read_only boolean not null,
  primary key (tbl, field)
);

-- What became of attached tables without Rappel's doing, in words, for whoever keeps workflows about them.
create table rappel.attached_news (
  id bigint generated always as identity primary key,
  tbl text not null,
  at timestamptz(3) not null default clock_timestamp(),
  text text not null
);

-- Statements of other programs that could not be logged as they came, with their rows as images by their columns: they are logged later.
create table rappel.unlogged (
  id bigint generated always as identity primary key,
  tbl text not null,
  op text not null,
  at timestamptz(3) not null,
  writer text not null,
  run bigint,
  depth int not null,
  error text not null,
  tries int not null default 0
);
create index unlogged_of_table on rappel.unlogged (tbl, id);
create table rappel.unlogged_row (
  statement bigint not null references rappel.unlogged (id) on delete cascade,
  side "char" not null,
  image jsonb not null
);
create index unlogged_row_of_statement on rappel.unlogged_row (statement);

-- The table that a name stands for, wherever it is; null where there is none.
create function rappel.base_of(of_table text) returns regclass language sql stable as $$
  select coalesce((select c.oid::regclass from rappel.attached a join pg_class c on c.oid = a.base where a.tbl = of_table),
                  case when not exists (select from rappel.attached a where a.tbl = of_table) then to_regclass(format('data.%I', of_table)) end)
$$;

-- A table with its partitions: all that statements may be said of.
create function rappel.parts_of(base regclass) returns table (part regclass, is_leaf boolean) language sql stable as $$
  select c.oid::regclass, c.relkind <> 'p' from pg_class c where c.oid = base and not exists (select from pg_partition_tree(base))
  union all select t.relid, t.isleaf from pg_partition_tree(base) t
$$;

-- The type that a domain is of in the end.
create function rappel.plain_type(of oid) returns oid language sql stable as $$
  select case when t.typtype = 'd' then rappel.plain_type(t.typbasetype) else t.oid end from pg_type t where t.oid = of
$$;

-- How a column of another program's table is read of a row called ‹r›, and the type that it has then; null for what no field can hold. Numbers and days that fields do not
-- know (NaN, infinity, before the year 1) are blank. Moments without a zone are the organisation's.
create function rappel.seen_as(col text, of oid, zone text, out seen text, out type text) language plpgsql stable as $$
declare
  plain regtype := rappel.plain_type(of)::regtype;
  here text := format('‹r›.%I', col);
begin
  if plain in ('int2'::regtype, 'int4'::regtype, 'int8'::regtype, 'uuid'::regtype, 'bool'::regtype) then
    type := plain::text;
    seen := case when plain = of::regtype then here else here || '::' || type end;
  elsif plain in ('numeric'::regtype, 'float4'::regtype, 'float8'::regtype) then
    type := 'numeric';
    seen := format('case when %1$s not in (''NaN'', ''Infinity'', ''-Infinity'') then %1$s::numeric end', here);
  elsif plain = 'money'::regtype then
    type := 'numeric';
    seen := here || '::numeric';
  elsif plain = 'date'::regtype then
    type := 'date';
    seen := format('case when %1$s between ''0001-01-01'' and ''9999-12-31'' then %1$s::date end', here);
  elsif plain in ('timestamptz'::regtype, 'timestamp'::regtype) then
    type := 'timestamp with time zone';
    seen := format('case when %1$s between ''0001-01-02'' and ''9999-12-30'' then (%2$s)::timestamptz(3) end', here,
                   case when plain = 'timestamp'::regtype then format('%s at time zone %L', here, zone) else here end);
  elsif plain not in ('bytea'::regtype, 'tsvector'::regtype, 'tsquery'::regtype, 'xid'::regtype, 'cid'::regtype, 'tid'::regtype) then
    type := 'text';
    seen := format('(%s)::text', here);
  end if;
end
$$;

-- What is recorded of a table: the field, the number and type of its column, how it is read of a row called ‹r›, how it is compared, and whether a change of it counts.
create function rappel.captured(of_table text) returns table (attnum int, field text, type text, seen text, compared text, counts boolean) language sql stable as $$
  select c.attnum, c.field, c.type, c.seen, c.compared,
         c.field not in ('created_at', 'updated_at') and not exists (select from rappel.field_def f where f.table_name = of_table and f.name = c.field and f.housekeeping)
    from (
      select a.attnum::int, a.attname::text as field, rappel.log_type(a.atttypid, a.atttypmod) as type, format('‹r›.%I', a.attname) as seen,
             rappel.log_compared('‹r›', a.attname, a.atttypid) as compared
        from pg_attribute a
       where a.attrelid = to_regclass(format('data.%I', of_table)) and a.attnum > 0 and not a.attisdropped and a.attname <> 'id'
         and not exists (select from rappel.attached t where t.tbl = of_table)
      union all
      select f.attnum, f.field, f.type, f.seen, f.seen from rappel.attached_field f where f.tbl = of_table and f.field <> 'id') c
   order by c.attnum
$$;

-- How the key of a row called ‹r› is read.
create function rappel.key_seen(of_table text) returns text language sql stable as $$
  select coalesce((select f.seen from rappel.attached_field f where f.tbl = of_table and f.field = 'id'), '‹r›.id')
$$;

-- Brings a table's log to what is recorded of it now.
create or replace function rappel.shape_log(tbl text) returns void language plpgsql as $$
#variable_conflict use_column
declare
  the_log text := rappel.log_name(shape_log.tbl);
  number int;
  col record;
  known rappel.log_column;
  now_id bigint;
  is_new boolean := false;
begin
  perform rappel.follow_key(shape_log.tbl);
  insert into rappel.log_of (tbl) values (shape_log.tbl) on conflict do nothing;
  select l.number into number from rappel.log_of l where l.tbl = shape_log.tbl;
  if to_regclass(the_log) is null then
    is_new := true;
    execute format($f$create table %s (
      id bigint not null default nextval('rappel.change_id'), rec %s not null, xid xid8 not null, run bigint, mask bigint not null,
      at timestamptz(3) not null, actor int not null, depth int not null, kind rappel.change_kind not null,
      primary key (id, at)) partition by range (at)$f$, the_log, rappel.key_type(format('data.%I', shape_log.tbl)::regclass));
    execute format('create index on %s (rec, id)', the_log);
    execute format('create index on %s (xid, id)', the_log);
    execute format('create index on %s (run) where run is not null', the_log);
    execute format('create table rappel.%I partition of %s default', 'log_' || number || '_other', the_log);
  end if;
  now_id := case when is_new then 0 else nextval('rappel.change_id') end;
  for known in select * from rappel.log_column c where c.tbl = shape_log.tbl and c.until is null loop
    perform from rappel.captured(shape_log.tbl) r where r.attnum = known.attnum and r.type = known.type;
    if not found then
      update rappel.log_column c set until = now_id where c.tbl = shape_log.tbl and c.bit = known.bit;
    end if;
  end loop;
  for col in select * from rappel.captured(shape_log.tbl) loop
    update rappel.log_column c set field = col.field, counts = col.counts
     where c.tbl = shape_log.tbl and c.attnum = col.attnum and c.until is null and c.type = col.type;
    continue when found;
    perform rappel.add_log_column(shape_log.tbl, col.attnum, col.field, col.type, col.counts, now_id, null);
  end loop;
end
$$;

-- Makes a table's capture anew where its columns are others than they were; of several who notice, one does it.
create or replace function rappel.follow_shape(of_table text) returns void language plpgsql as $$
begin
  perform pg_advisory_xact_lock(4184, hashtext(of_table));
  if (select l.shape is distinct from rappel.shape_of(rappel.base_of(of_table)) from rappel.log_of l where l.tbl = of_table) then
    perform rappel.attach_capture(of_table);
  end if;
end
$$;

-- What a statement did to a table that is attached and could not be logged, but for its rows; answers what they are kept under.
create function rappel.leave_unlogged(of_table text, op text, at timestamptz, writer text, run bigint, depth int, error text) returns bigint language sql as $$
  insert into rappel.unlogged (tbl, op, at, writer, run, depth, error) values (of_table, op, at, writer, run, depth, error) returning id
$$;

-- Generates the capture of one table from what is recorded of it, and its log. To be called again whenever the columns change.
create or replace function rappel.attach_capture(tbl text) returns void language plpgsql as $generator$
declare
  fn text := format('rappel.%I', 'capture_' || tbl);
  target regclass := rappel.base_of(tbl);
  is_attached boolean := exists (select from rappel.attached a where a.tbl = attach_capture.tbl);
  the_log text := rappel.log_name(tbl);
  key_n text := replace(rappel.key_seen(tbl), '‹r›', 'n');
  key_o text := replace(rappel.key_seen(tbl), '‹r›', 'o');
  bits int[];
  a_names text;
  b_names text;
  mask_names text;
  news text;
  olds text;
  differing text;
  differs text[];
  filled text[];
  no_bits text;
  counted text;
  head text := 'rec, kind, at, xid, actor, run, depth';
  here text := '‹at›, ‹xid›, (select coalesce((select a.id from rappel.actor a where a.key = ‹by› limit 1), rappel.actor_of(‹by›))), ‹run›, ‹depth›';
  sql_insert text;
  sql_update text;
  sql_delete text;
  sql_update_one text;
  sql_truncate text;
  one text;
  all_of_them text;
  place text := format('rappel.shard_of(%L, rec)', tbl);
  shape_here text := rappel.shape_sql(case when (select c.relkind from pg_class c where c.oid = target) = 'p' then 'pg_catalog.pg_partition_root(tg_relid)' else 'tg_relid' end);
begin
  perform rappel.shape_log(tbl);
  select array_agg(x.bit order by x.bit), string_agg(format('%I', 'a_' || x.stem), ', ' order by x.bit), string_agg(format('%I', 'b_' || x.stem), ', ' order by x.bit),
         string_agg(x.n, ', ' order by x.bit), string_agg(x.o, ', ' order by x.bit),
         string_agg(format('case when %s then %s end', x.differs, x.o), ', ' order by x.bit), array_agg(x.differs order by x.bit),
         array_agg(case when x.counts then format('%s is not null', x.n) else 'false' end order by x.bit),
         string_agg(case when x.counts then x.differs end, ' or ' order by x.bit)
    into bits, a_names, b_names, news, olds, differing, differs, filled, counted
    from (select c.bit, c.stem, c.counts, replace(r.seen, '‹r›', 'n') as n, replace(r.seen, '‹r›', 'o') as o,
                 format('%s is distinct from %s', replace(r.compared, '‹r›', 'o'), replace(r.compared, '‹r›', 'n')) as differs
            from rappel.log_column c join rappel.captured(attach_capture.tbl) r on r.attnum = c.attnum
           where c.tbl = attach_capture.tbl and c.until is null) x;
  select string_agg(m, ', ' order by w) into mask_names from (select distinct b / 63 as w, rappel.mask_of(b) as m from unnest(bits) b) x;
  select string_agg('0', ', ') into no_bits from (select distinct b / 63 from unnest(bits) b) x;

  sql_insert := format('insert into %s (%s, %s, %s) select %s, ''created''::rappel.change_kind, %s, %s, %s from new_rows n order by 1',
                       the_log, head, mask_names, a_names, key_n, here, array_to_string(rappel.masks_of(filled, bits), ', '), news);
  sql_delete := format('insert into %s (%s, %s, %s) select %s, ''deleted''::rappel.change_kind, %s, %s, %s from old_rows o',
                       the_log, head, mask_names, b_names, key_o, here, no_bits, olds);
  sql_update := format('insert into %1$s (%2$s, %3$s, %4$s, %5$s)
    select coalesce(%11$s, %12$s), (case when %12$s is null then ''created'' when %11$s is null then ''deleted'' else ''changed'' end)::rappel.change_kind, %6$s, %7$s, %8$s, %9$s
      from old_rows o full join new_rows n on %11$s = %12$s
     where %12$s is null or %11$s is null or (%10$s)', the_log, head, mask_names, b_names, a_names, here,
    (select string_agg(format('case when %s is null then 0 when %s is null then %s else %s end', key_n, key_o, f, d), ', ' order by ord)
       from unnest(rappel.masks_of(filled, bits), rappel.masks_of(differs, bits)) with ordinality as u (f, d, ord)), differing, news, coalesce(counted, 'false'), key_n, key_o);
  sql_truncate := replace(sql_delete, 'old_rows o', target || ' o');
  sql_update_one := format('insert into %1$s (%2$s, %3$s, %4$s, %5$s) select %11$s, ''changed''::rappel.change_kind, %6$s, %7$s, %8$s, %9$s
      from old_rows o join new_rows n on %11$s = %12$s where not exists (select from new_rows offset 1) and (%10$s)',
    the_log, head, mask_names, b_names, a_names, here, array_to_string(rappel.masks_of(differs, bits), ', '), differing, news, coalesce(counted, 'false'), key_n, key_o);
  one := format('with logged as (%%s returning id, rec) insert into rappel.queue (shard, change_id, tbl, rec, xid) select %s, id, %L, rappel.key_of(rec), ‹xid› from logged', place, tbl);
  all_of_them := format($q$with logged as (%%s returning id, rec),
         placed as (select %1$s as shard, id, rec from logged),
         many as (select shard, min(id) as first, max(id) as last from placed group by shard having count(*) > 8)
    insert into rappel.queue (shard, change_id, last, tbl, rec, xid)
    select p.shard, p.id, null, %2$L, rappel.key_of(p.rec), ‹xid› from placed p where not exists (select from many m where m.shard = p.shard)
    union all select m.shard, m.first, m.last, %2$L, null, ‹xid› from many m$q$, place, tbl);

  execute format($f$
create or replace function %1$s() returns trigger language plpgsql security definer set search_path = pg_catalog, pg_temp set plan_cache_mode = force_generic_plan set enable_hashjoin = off %11$s as $capture$
declare
  this_at timestamptz := coalesce(nullif(current_setting('rappel.clock', true), '')::timestamptz, clock_timestamp());
  this_xid xid8 := pg_current_xact_id();
  this_by text := coalesce(nullif(current_setting('rappel.by', true), ''), session_user);
  this_run bigint := nullif(current_setting('rappel.run', true), '')::bigint;
  this_depth int := coalesce(nullif(current_setting('rappel.depth', true), '')::int, 0);
  kept bigint;
  written bigint := 1;
begin
%12$s
  -- Columns that somebody added, renamed, dropped or gave another type.
  if %10$s <> %8$s then
    %13$s
  end if;
  if tg_op = 'INSERT' then
    %2$s;
    if not found then
      %3$s;
    end if;
  elsif tg_op = 'UPDATE' then
    %4$s;
    if not found then
      %5$s;
    end if;
  elsif tg_op = 'DELETE' then
    %6$s;
  else
    %7$s;
  end if;
  get diagnostics written = row_count;
%14$s
  -- Somebody who is about to sleep takes this lock and looks once more: whoever is refused it tells the sleeper, whoever is given it will be waited for. A transaction that may yet
  -- be prepared must tell nobody (PostgreSQL, "PREPARE TRANSACTION"); the sleeper looks by himself now and then.
  if written > 0 and not pg_try_advisory_xact_lock_shared(4181) and current_setting('max_prepared_transactions') = '0' then
    perform pg_notify('rappel_change', '');
  end if;
  return null;
end
$capture$
$f$, fn,
    rappel.with_names(format(one, replace(sql_insert, ' order by 1', ' where not exists (select from new_rows offset 1)'))),
    rappel.with_names(format(all_of_them, sql_insert)), rappel.with_names(format(one, sql_update_one)), rappel.with_names(format(all_of_them, sql_update)),
    rappel.with_names(format(all_of_them, sql_delete)),
    case when is_attached
      then format('execute replace(%L, ''‹truncated›'', tg_relid::regclass::text) using this_at, this_xid, this_by, this_run, this_depth',
                  rappel.with_values(format(all_of_them, replace(sql_delete, 'old_rows o', '‹truncated› o'))))
      else rappel.with_names(format(all_of_them, sql_truncate)) end,
    rappel.shape_of(target), tbl, shape_here,
    -- What is not Rappel's waits for nothing of Rappel's for long, and never fails by it: what cannot be logged is left for later.
    case when is_attached then 'set lock_timeout = ''2s''' else '' end,
    case when is_attached then '  begin' else '' end,
    case when is_attached
      then 'raise exception ''Its columns are not those that were looked at.'';'
      else format($s$-- The log follows before this statement is written down.
    perform rappel.follow_shape(%1$L);
    execute (select case tg_op when 'INSERT' then l.on_insert when 'UPDATE' then l.on_update when 'DELETE' then l.on_delete else l.on_truncate end
               from rappel.log_of l where l.tbl = %1$L) using this_at, this_xid, this_by, this_run, this_depth;
    if current_setting('max_prepared_transactions') = '0' then
      perform pg_notify('rappel_change', '');
    end if;
    return null;$s$, tbl) end,
    case when is_attached then format($s$  exception
    when serialization_failure then
      raise;
    when others then
      kept := rappel.leave_unlogged(%L, tg_op, this_at, this_by, this_run, this_depth, sqlerrm);
      if tg_op in ('INSERT', 'UPDATE') then
        insert into rappel.unlogged_row select kept, 'n', to_jsonb(n.*) from new_rows n;
      end if;
      if tg_op in ('DELETE', 'UPDATE') then
        insert into rappel.unlogged_row select kept, 'o', to_jsonb(o.*) from old_rows o;
      end if;
      if tg_op = 'TRUNCATE' then
        execute format('insert into rappel.unlogged_row select $1, ''o'', to_jsonb(o.*) from %%s o', tg_relid::regclass) using kept;
      end if;
  end;$s$, tbl) else '' end);
  update rappel.log_of l set shape = rappel.shape_of(target), on_insert = rappel.with_values(format(all_of_them, sql_insert)),
    on_update = rappel.with_values(format(all_of_them, sql_update)), on_delete = rappel.with_values(format(all_of_them, sql_delete)), on_truncate = rappel.with_values(format(all_of_them, sql_truncate))
   where l.tbl = attach_capture.tbl;
  perform rappel.set_triggers(attach_capture.tbl);
  perform rappel.define_change_views(attach_capture.tbl);
end
$generator$;

-- Which triggers are to be on a table or a part of it: a statement fires those of the table it names, truncating those of all its parts.
create function rappel.wanted_triggers(of_table text) returns table (part regclass, trigger text) language sql stable as $$
  select p.part, 'rappel_capture_' || t from rappel.parts_of(rappel.base_of(of_table)) p, unnest('{insert,update,delete,truncate}'::text[]) t where t <> 'truncate' or p.is_leaf
$$;

-- Sets the triggers that are missing on a table.
create function rappel.set_triggers(of_table text) returns void language plpgsql as $$
declare
  one record;
begin
  for one in select w.part, w.trigger from rappel.wanted_triggers(of_table) w
              where not exists (select from pg_trigger t where t.tgrelid = w.part and t.tgname = w.trigger) loop
    execute format('create or replace trigger %I %s on %s %s for each statement execute function rappel.%I()', one.trigger,
      case one.trigger when 'rappel_capture_insert' then 'after insert' when 'rappel_capture_update' then 'after update' when 'rappel_capture_delete' then 'after delete' else 'before truncate' end,
      one.part,
      case one.trigger when 'rappel_capture_insert' then 'referencing new table as new_rows' when 'rappel_capture_update' then 'referencing old table as old_rows new table as new_rows'
                       when 'rappel_capture_delete' then 'referencing old table as old_rows' else '' end, 'capture_' || of_table);
    if one.trigger = 'rappel_capture_insert' then
      perform rappel.ensure_change_partitions(4, 2);
    end if;
  end loop;
end
$$;

-- Whether triggers of a table are missing, of a new partition, say.
create function rappel.lacks_triggers(of_table text) returns boolean language sql stable as $$
  select exists (select from rappel.wanted_triggers(of_table) w where not exists (select from pg_trigger t where t.tgrelid = w.part and t.tgname = w.trigger))
$$;

-- Whether something of a table is not watched: a trigger is missing or switched off.
create function rappel.is_uncaptured(of_table text) returns boolean language sql stable as $$
  select exists (select from rappel.wanted_triggers(of_table) w
                  where not exists (select from pg_trigger t where t.tgrelid = w.part and t.tgname = w.trigger and t.tgenabled in ('O', 'A')))
$$;

-- Makes anew how an attached table is read: under its fields' names, in types that fields have. Where it is gone there is nothing to read.
create function rappel.define_reading(of_table text) returns void language plpgsql as $$
declare
  base regclass := (select rappel.base_of(of_table) from rappel.attached a where a.tbl = of_table and a.trouble is null);
  outs text;
  reads text;
begin
  select string_agg(format('%I %s', c.field, c.type), ', ' order by c.place, c.attnum),
         string_agg(case when base is null then 'null::' || c.type else replace(c.seen, '‹r›', 't') end, ', ' order by c.place, c.attnum)
    into outs, reads
    from (
      select f.field, f.type, f.seen, f.attnum, case f.field when 'id' then 0 when 'created_at' then 1 when 'updated_at' then 2 else 3 end as place
        from rappel.attached_field f where f.tbl = of_table
      union all
      select s.field, 'timestamp with time zone', 'null::timestamptz', 0, s.place from (values ('created_at', 1), ('updated_at', 2)) s (field, place)
       where not exists (select from rappel.attached_field f where f.tbl = of_table and f.field = s.field)) c;
  execute format('drop view if exists data.%I', of_table);
  execute format('drop function if exists rappel.%I()', 'read_' || of_table);
  execute format('create function rappel.%I() returns table (%s) language sql stable as %L', 'read_' || of_table, outs,
                 format('select %s %s', reads, case when base is null then 'where false' else format('from %s t', base) end));
  execute format('create view data.%I as select * from rappel.%I()', of_table, 'read_' || of_table);
  execute format('create trigger rappel_write instead of insert or update or delete on data.%I for each row execute function rappel.write_attached()', of_table);
end
$$;

-- Writes to an attached table what is written to its view: of a new record what is filled, of others what changed.
create function rappel.write_attached() returns trigger language plpgsql as $$
declare
  base regclass := rappel.base_of(tg_table_name);
  key_name text := (select f.attname from rappel.attached_field f where f.tbl = tg_table_name and f.field = 'id');
  news jsonb := case when tg_op <> 'DELETE' then to_jsonb(new) end;
  olds jsonb := case when tg_op <> 'INSERT' then to_jsonb(old) end;
  names text;
  sets text;
  vals text;
  the_key text;
  n int;
begin
  select string_agg(format('%I', w.attname), ', '), string_agg(w.val, ', '), string_agg(format('%I = %s', w.attname, w.val), ', ')
    into names, vals, sets
    from (
      select f.attname, format(case when rappel.plain_type(a.atttypid) = 'timestamp'::regtype then '(($1).%I at time zone t.zone)::%s' else '($1).%I::%s' end, f.field, format_type(a.atttypid, a.atttypmod)) as val
        from rappel.attached_field f join pg_attribute a on a.attrelid = base and a.attnum = f.attnum
       where f.tbl = tg_table_name and not (f.field in ('created_at', 'updated_at')) and (tg_op = 'INSERT' and news ->> f.field is not null or tg_op = 'UPDATE' and news -> f.field is distinct from olds -> f.field)) w;
  if tg_op = 'INSERT' then
    if names is null then
      execute format('insert into %s as t default values returning %I::text', base, key_name) into the_key;
    else
      execute format('insert into %s (%s) select %s from rappel.attached t where t.tbl = %L returning %I::text', base, names, vals, tg_table_name, key_name) into the_key using new;
    end if;
    if the_key is null then
      return null;
    end if;
    execute format('select v.* from data.%I v where v.id = $1::%s', tg_table_name, (select f.type from rappel.attached_field f where f.tbl = tg_table_name and f.field = 'id')) into new using the_key;
    return new;
  elsif tg_op = 'UPDATE' then
    if sets is null then
      return new;
    end if;
    execute format('update %s b set %s from rappel.attached t where t.tbl = %L and b.%I = ($2).id', base, sets, tg_table_name, key_name) using new, old;
    get diagnostics n = row_count;
    if n > 0 then
      execute format('select v.* from data.%I v where v.id = ($1).id', tg_table_name) into new using new;
      return new;
    end if;
    return null;
  end if;
  execute format('delete from %s b where b.%I = ($1).id', base, key_name) using old;
  get diagnostics n = row_count;
  return case when n > 0 then old end;
end
$$;

-- Locks a record of an attached table until the transaction ends.
create function rappel.lock_attached(of_table text, of_id text) returns void language plpgsql as $$
declare
  key rappel.attached_field;
begin
  select * into strict key from rappel.attached_field f where f.tbl = of_table and f.field = 'id';
  execute format('select from %s b where b.%I = $1::%s for update', rappel.base_of(of_table), key.attname, key.type) using of_id;
end
$$;

-- Logs what was left unlogged of a table, in order, each statement as it was; answers how many.
create function rappel.log_unlogged(of_table text) returns int language plpgsql as $$
declare
  left_over rappel.unlogged;
  rows_of text := format('select r.* from rappel.unlogged_row u cross join lateral jsonb_populate_record(null::%s, u.image) r where u.statement = ', rappel.base_of(of_table));
  statement text;
  logged int := 0;
begin
  for left_over in select * from rappel.unlogged u where u.tbl = of_table order by u.id for update loop
    begin
      select case left_over.op when 'INSERT' then l.on_insert when 'UPDATE' then l.on_update else l.on_delete end into statement from rappel.log_of l where l.tbl = of_table;
      execute format('with old_rows as (%1$s%2$s and u.side = ''o''), new_rows as (%1$s%2$s and u.side = ''n''), %3$s', rows_of, left_over.id, substr(statement, 6))
        using left_over.at, pg_current_xact_id(), left_over.writer, left_over.run, left_over.depth;
      delete from rappel.unlogged u where u.id = left_over.id;
      logged := logged + 1;
    exception when others then
      update rappel.unlogged u set error = sqlerrm, tries = u.tries + 1 where u.id = left_over.id;
    end;
  end loop;
  return logged;
end
$$;

-- Which attached tables are not as they were looked at last. Until the transaction ends, their owners' changes of columns wait for it.
create function rappel.hold_attached() returns setof text language plpgsql as $$
declare
  one rappel.attached;
begin
  for one in select a.* from rappel.attached a where a.trouble is null order by a.tbl loop
    begin
      execute format('lock table %s in access share mode', one.base);
    exception when undefined_table or syntax_error or insufficient_privilege then
      return next one.tbl;
      continue;
    end;
    if one.shape is distinct from rappel.shape_of(one.base) then
      return next one.tbl;
    end if;
  end loop;
end
$$;

-- Which attached tables want to be looked at: not as they were, gone, back again, not watched whole, or with something unlogged.
create function rappel.stale_attached() returns setof text language sql stable as $$
  select a.tbl from rappel.attached a
    left join pg_class c on c.oid = a.base left join pg_namespace n on n.oid = c.relnamespace
   where a.trouble is null
     and (c.oid is null or a.shape is distinct from rappel.shape_of(a.base) or (n.nspname, c.relname) is distinct from (a.schema_name, a.base_name) or rappel.lacks_triggers(a.tbl)
          or exists (select from rappel.unlogged u where u.tbl = a.tbl and u.tries < 20))
   order by a.tbl
$$;

-- Lets go of an attached table: its triggers go with the function that they call, whoever owns the table.
create function rappel.detach(of_table text) returns void language plpgsql as $$
begin
  execute format('drop function if exists rappel.%I() cascade', 'capture_' || of_table);
  execute format('drop view if exists data.%I', of_table);
  execute format('drop function if exists rappel.%I()', 'read_' || of_table);
  delete from rappel.unlogged where tbl = of_table;
  delete from rappel.attached_news where tbl = of_table;
  delete from rappel.attached where tbl = of_table;
end
$$;

select rappel.attach_capture(name) from rappel.table_def order by position;
