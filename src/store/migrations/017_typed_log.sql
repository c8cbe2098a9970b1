-- The log, typed: each watched table has a log of its own with its columns in their own types. `b_…` is what stood before, where it changed; `a_…` what stood after.
-- A bit of the mask says of each column whether it changed (created: whether it is filled); columns beyond 63 go on in `mask1`, `mask2` and so on.
create type rappel.change_kind as enum ('created', 'changed', 'deleted');

-- Who made changes. Of two that come at the same moment each may get a row of its own: nobody waits for anybody here.
create table rappel.actor (
  id int generated always as identity primary key,
  key text not null,
  by jsonb not null,
  person bigint generated always as ((by ->> 'person')::bigint) stored
);
create index actor_by_key on rappel.actor using hash (key);

create function rappel.actor_of(who text) returns int language plpgsql as $$
declare
  found_id int;
begin
  select a.id into found_id from rappel.actor a where a.key = who limit 1;
  if found_id is null then
    insert into rappel.actor (key, by)
    values (who, case when left(who, 1) = '{' then who::jsonb else jsonb_build_object('kind', 'system', 'person', null, 'name', who) end) returning id into found_id;
  end if;
  return found_id;
end
$$;

-- What there was: people, who are captured row by row, and what was recorded before logs were typed, until it is moved.
alter table rappel.change rename to change_json;
alter table rappel.change_other rename to change_json_other;

create table rappel.log_of (
  tbl text primary key,
  number int generated always as identity unique,
  -- Whether none of its changes is kept as an image any more, from before logs were typed.
  moved boolean not null default true,
  -- The table's columns when its capture was made, and how a statement's rows are logged: for the statement at which it is noticed that they are others.
  shape bigint,
  on_insert text,
  on_update text,
  on_delete text,
  on_truncate text
);

-- The columns of logs: each keeps its bit and its name for good. One that was dropped or got another type keeps what it held, under the field's name of then.
create table rappel.log_column (
  tbl text not null references rappel.log_of (tbl) on delete cascade,
  bit int not null,
  attnum int,
  field text not null,
  stem text not null,
  type text not null,
  counts boolean not null,
  since bigint not null default 0,
  until bigint,
  primary key (tbl, bit)
);

-- What is still to be handled: a change, or (`last` is given, the record is none) a stretch of one statement's changes, as many of them as are in the shard.
alter table rappel.queue alter column rec drop not null, add column last bigint;

-- Logs, and changes read from them as images, are called like the tables they are of.
create schema rappel_log;
create schema rappel_change;
-- Which of the sixteen parts of the queue a record's changes are in.
create function rappel.shard_of(tbl text, rec bigint) returns smallint language sql immutable as $$ select ((hashint8(rec) # hashtext(tbl)) & 15)::smallint $$;
create function rappel.log_name(tbl text) returns text language sql immutable as $$ select format('rappel_log.%I', tbl) $$;

-- Months' partitions of all logs, from `back` months ago to `ahead` months from now. A month that already has rows in a default partition keeps them there.
create or replace function rappel.ensure_change_partitions(back int, ahead int) returns void language plpgsql as $$
declare
  month timestamptz;
  next_month timestamptz;
  part text;
  parent text;
  stem text;
  has boolean;
begin
  for parent, stem in select 'rappel.change_json', 'change' union all select rappel.log_name(tbl), 'log_' || number from rappel.log_of loop
    for month in select generate_series(date_trunc('month', now() at time zone 'UTC') - make_interval(months => back),
                                        date_trunc('month', now() at time zone 'UTC') + make_interval(months => ahead),
                                        interval '1 month') at time zone 'UTC' loop
      next_month := (month at time zone 'UTC' + interval '1 month') at time zone 'UTC';
      part := stem || '_' || to_char(month at time zone 'UTC', 'YYYY_MM');
      continue when to_regclass(format('rappel.%I', part)) is not null;
      execute format('select exists (select from rappel.%I where at >= %L and at < %L)', case stem when 'change' then 'change_json_other' else stem || '_other' end, month, next_month) into has;
      continue when has;
      execute format('create table rappel.%I partition of %s for values from (%L) to (%L)', part, parent, month, next_month);
    end loop;
  end loop;
end
$$;

-- The type that a log keeps a column's values in: a domain's own, so that nothing may stand where nothing stood.
create function rappel.log_type(of oid, modifier int) returns text language sql stable as $$
  select case when t.typtype = 'd' then rappel.log_type(t.typbasetype, t.typtypmod) else format_type(of, modifier) end from pg_type t where t.oid = of
$$;

-- How a column is compared: types without an equality of values, and those whose equality is of size, by their text.
create function rappel.log_compared(alias text, col text, of oid) returns text language sql stable as $$
  select format(case when t.typcategory = 'G' or t.typname in ('json', 'xml') then '%I.%I::text' else '%I.%I' end, alias, col) from pg_type t where t.oid = of
$$;

-- A table's columns, with their names, places and types, in a number: as an expression, `of_table` being how the table's oid is written, which capture has in itself; and worked out.
create function rappel.shape_sql(of_table text) returns text language sql immutable as $$
  select format('(select pg_catalog.bit_xor(pg_catalog.hashint8extended((pg_catalog.hashtext(a.attname::text)::bigint << 20) # (a.atttypid::bigint << 8) # a.attnum, a.atttypmod))
        from pg_catalog.pg_attribute a where a.attrelid = %s and a.attnum > 0 and not a.attisdropped)', of_table)
$$;
create function rappel.shape_of(of_table regclass) returns bigint language plpgsql as $$
declare
  shape bigint;
begin
  execute 'select ' || rappel.shape_sql('$1') into shape using of_table;
  return shape;
end
$$;

-- Gives a log one more column, with the next bit: for what stood before and after, and for the mask where the last one is full.
create function rappel.add_log_column(of_table text, of_attnum int, of_field text, of_type text, does_count boolean, from_id bigint, until_id bigint) returns void language plpgsql as $$
declare
  next_bit int := (select coalesce(max(c.bit) + 1, 0) from rappel.log_column c where c.tbl = of_table);
  new_stem text := case when octet_length(of_field) <= 61 and not exists (select from rappel.log_column c where c.tbl = of_table and c.stem = of_field) then of_field else '~' || next_bit end;
begin
  insert into rappel.log_column (tbl, bit, attnum, field, stem, type, counts, since, until)
  values (of_table, next_bit, of_attnum, of_field, new_stem, of_type, does_count, from_id, until_id);
  if next_bit > 0 and next_bit % 63 = 0 then
    execute format('alter table %s add column %s bigint not null default 0', rappel.log_name(of_table), rappel.mask_of(next_bit));
  end if;
  execute format('alter table %1$s add column %2$I %4$s, add column %3$I %4$s', rappel.log_name(of_table), 'b_' || new_stem, 'a_' || new_stem, of_type);
end
$$;

-- Brings a table's log to the table's columns as they are now.
create function rappel.shape_log(tbl text) returns void language plpgsql as $$
#variable_conflict use_column
declare
  the_table regclass := format('data.%I', shape_log.tbl)::regclass;
  the_log text := rappel.log_name(shape_log.tbl);
  number int;
  col record;
  known rappel.log_column;
  now_id bigint;
  is_new boolean := false;
begin
  insert into rappel.log_of (tbl) values (shape_log.tbl) on conflict do nothing;
  select l.number into number from rappel.log_of l where l.tbl = shape_log.tbl;
  if to_regclass(the_log) is null then
    is_new := true;
    execute format($f$create table %s (
      id bigint not null default nextval('rappel.change_id'), rec bigint not null, xid xid8 not null, run bigint, mask bigint not null,
      at timestamptz(3) not null, actor int not null, depth int not null, kind rappel.change_kind not null,
      primary key (id, at)) partition by range (at)$f$, the_log);
    execute format('create index on %s (rec, id)', the_log);
    execute format('create index on %s (xid, id)', the_log);
    execute format('create index on %s (run) where run is not null', the_log);
    execute format('create table rappel.%I partition of %s default', 'log_' || number || '_other', the_log);
  end if;
  now_id := case when is_new then 0 else nextval('rappel.change_id') end;
  for known in select * from rappel.log_column c where c.tbl = shape_log.tbl and c.until is null loop
    perform from pg_attribute a where a.attrelid = the_table and a.attnum = known.attnum and not a.attisdropped and rappel.log_type(a.atttypid, a.atttypmod) = known.type;
    if not found then
      update rappel.log_column c set until = now_id where c.tbl = shape_log.tbl and c.bit = known.bit;
    end if;
  end loop;
  for col in select a.attnum, a.attname::text as name, rappel.log_type(a.atttypid, a.atttypmod) as type,
                    a.attname not in ('created_at', 'updated_at')
                    and not exists (select from rappel.field_def f where f.table_name = shape_log.tbl and f.name = a.attname and f.housekeeping) as counts
               from pg_attribute a where a.attrelid = the_table and a.attnum > 0 and not a.attisdropped and a.attname <> 'id' order by a.attnum loop
    update rappel.log_column c set field = col.name, counts = col.counts
     where c.tbl = shape_log.tbl and c.attnum = col.attnum and c.until is null and c.type = col.type;
    continue when found;
    perform rappel.add_log_column(shape_log.tbl, col.attnum, col.name, col.type, col.counts, now_id, null);
  end loop;
end
$$;

-- The mask's column that a bit is in, and the bit there as a number.
create function rappel.mask_of(n int) returns text language sql immutable as $$ select 'mask' || case when n < 63 then '' else (n / 63)::text end $$;
create function rappel.mask_bit(n int) returns bigint language sql immutable as $$ select 1::bigint << (n % 63) $$;

-- Masks as expressions, one for each mask's column, of a condition for each bit.
create function rappel.masks_of(conditions text[], bits int[]) returns text[] language sql immutable as $$
  select array_agg(masks order by word) from (
    select n / 63 as word, string_agg(format('case when %s then %s else 0::bigint end', condition, rappel.mask_bit(n)), ' | ' order by n) as masks
      from unnest(conditions, bits) as u (condition, n) group by n / 63) m
$$;

-- A statement of capture with what stands for its moment, transaction, writer, run and depth.
create function rappel.filled_in(statement text, at text, xid text, by text, run text, depth text) returns text language sql immutable as $$
  select replace(replace(replace(replace(replace(statement, '‹at›', at), '‹xid›', xid), '‹by›', by), '‹run›', run), '‹depth›', depth)
$$;
create function rappel.with_values(statement text) returns text language sql immutable as $$ select rappel.filled_in(statement, '$1', '$2', '$3', '$4', '$5') $$;
create function rappel.with_names(statement text) returns text language sql immutable as $$
  select rappel.filled_in(statement, 'this_at', 'this_xid', 'this_by', 'this_run', 'this_depth')
$$;

-- Makes a table's capture anew where its columns are others than they were; of several who notice, one does it.
create function rappel.follow_shape(of_table text) returns void language plpgsql as $$
begin
  perform pg_advisory_xact_lock(4184, hashtext(of_table));
  if (select l.shape is distinct from rappel.shape_of(format('data.%I', of_table)::regclass) from rappel.log_of l where l.tbl = of_table) then
    perform rappel.attach_capture(of_table);
  end if;
end
$$;

-- Generates the capture of one table from its columns, and its log. To be called again whenever the columns change.
create or replace function rappel.attach_capture(tbl text) returns void language plpgsql as $generator$
declare
  fn text := format('rappel.%I', 'capture_' || tbl);
  target text := format('data.%I', tbl);
  the_log text := rappel.log_name(tbl);
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
begin
  perform rappel.shape_log(tbl);
  select array_agg(c.bit order by c.bit), string_agg(format('%I', 'a_' || c.stem), ', ' order by c.bit), string_agg(format('%I', 'b_' || c.stem), ', ' order by c.bit),
         string_agg(format('n.%I', c.field), ', ' order by c.bit), string_agg(format('o.%I', c.field), ', ' order by c.bit),
         string_agg(format('case when %s is distinct from %s then o.%I end', rappel.log_compared('o', c.field, a.atttypid), rappel.log_compared('n', c.field, a.atttypid), c.field), ', ' order by c.bit),
         array_agg(format('%s is distinct from %s', rappel.log_compared('o', c.field, a.atttypid), rappel.log_compared('n', c.field, a.atttypid)) order by c.bit),
         array_agg(case when c.counts then format('n.%I is not null', c.field) else 'false' end order by c.bit),
         string_agg(case when c.counts then format('%s is distinct from %s', rappel.log_compared('o', c.field, a.atttypid), rappel.log_compared('n', c.field, a.atttypid)) end, ' or ' order by c.bit)
    into bits, a_names, b_names, news, olds, differing, differs, filled, counted
    from rappel.log_column c join pg_attribute a on a.attrelid = target::regclass and a.attnum = c.attnum
   where c.tbl = attach_capture.tbl and c.until is null;
  select string_agg(m, ', ' order by w) into mask_names from (select distinct b / 63 as w, rappel.mask_of(b) as m from unnest(bits) b) x;
  select string_agg('0', ', ') into no_bits from (select distinct b / 63 from unnest(bits) b) x;

  sql_insert := format('insert into %s (%s, %s, %s) select n.id, ''created''::rappel.change_kind, %s, %s, %s from new_rows n order by n.id',
                       the_log, head, mask_names, a_names, here, array_to_string(rappel.masks_of(filled, bits), ', '), news);
  sql_delete := format('insert into %s (%s, %s, %s) select o.id, ''deleted''::rappel.change_kind, %s, %s, %s from old_rows o',
                       the_log, head, mask_names, b_names, here, no_bits, olds);
  sql_update := format('insert into %1$s (%2$s, %3$s, %4$s, %5$s)
    select coalesce(n.id, o.id), (case when o.id is null then ''created'' when n.id is null then ''deleted'' else ''changed'' end)::rappel.change_kind, %6$s, %7$s, %8$s, %9$s
      from old_rows o full join new_rows n on n.id = o.id
     where o.id is null or n.id is null or (%10$s)', the_log, head, mask_names, b_names, a_names, here,
    (select string_agg(format('case when n.id is null then 0 when o.id is null then %s else %s end', f, d), ', ' order by ord)
       from unnest(rappel.masks_of(filled, bits), rappel.masks_of(differs, bits)) with ordinality as u (f, d, ord)), differing, news, coalesce(counted, 'false'));
  sql_truncate := replace(sql_delete, 'old_rows o', target || ' o');
  sql_update_one := format('insert into %1$s (%2$s, %3$s, %4$s, %5$s) select n.id, ''changed''::rappel.change_kind, %6$s, %7$s, %8$s, %9$s
      from old_rows o join new_rows n on n.id = o.id where not exists (select from new_rows offset 1) and (%10$s)',
    the_log, head, mask_names, b_names, a_names, here, array_to_string(rappel.masks_of(differs, bits), ', '), differing, news, coalesce(counted, 'false'));
  one := format('with logged as (%%s returning id, rec) insert into rappel.queue (shard, change_id, tbl, rec, xid) select %s, id, %L, rec, ‹xid› from logged', place, tbl);
  all_of_them := format($q$with logged as (%%s returning id, rec),
         placed as (select %1$s as shard, id, rec from logged),
         many as (select shard, min(id) as first, max(id) as last from placed group by shard having count(*) > 8)
    insert into rappel.queue (shard, change_id, last, tbl, rec, xid)
    select p.shard, p.id, null, %2$L, p.rec, ‹xid› from placed p where not exists (select from many m where m.shard = p.shard)
    union all select m.shard, m.first, m.last, %2$L, null, ‹xid› from many m$q$, place, tbl);

  execute format($f$
create or replace function %1$s() returns trigger language plpgsql security definer set search_path = pg_catalog, pg_temp set plan_cache_mode = force_generic_plan set enable_hashjoin = off as $capture$
declare
  this_at timestamptz := coalesce(nullif(current_setting('rappel.clock', true), '')::timestamptz, clock_timestamp());
  this_xid xid8 := pg_current_xact_id();
  this_by text := coalesce(nullif(current_setting('rappel.by', true), ''), session_user);
  this_run bigint := nullif(current_setting('rappel.run', true), '')::bigint;
  this_depth int := coalesce(nullif(current_setting('rappel.depth', true), '')::int, 0);
begin
  -- Columns that somebody added, renamed, dropped or gave another type: the log follows before this statement is written down.
  if %10$s <> %8$s then
    perform rappel.follow_shape(%9$L);
    execute (select case tg_op when 'INSERT' then l.on_insert when 'UPDATE' then l.on_update when 'DELETE' then l.on_delete else l.on_truncate end
               from rappel.log_of l where l.tbl = %9$L) using this_at, this_xid, this_by, this_run, this_depth;
    perform pg_notify('rappel_change', '');
    return null;
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
  -- Somebody who is about to sleep takes this lock and looks once more: whoever is refused it tells the sleeper, whoever is given it will be waited for.
  if found and not pg_try_advisory_xact_lock_shared(4181) then
    perform pg_notify('rappel_change', '');
  end if;
  return null;
end
$capture$
$f$, fn,
    rappel.with_names(format(one, replace(sql_insert, ' order by n.id', ' where not exists (select from new_rows offset 1)'))),
    rappel.with_names(format(all_of_them, sql_insert)), rappel.with_names(format(one, sql_update_one)), rappel.with_names(format(all_of_them, sql_update)),
    rappel.with_names(format(all_of_them, sql_delete)), rappel.with_names(format(all_of_them, sql_truncate)), rappel.shape_of(target::regclass), tbl, rappel.shape_sql('tg_relid'));
  update rappel.log_of l set shape = rappel.shape_of(target::regclass), on_insert = rappel.with_values(format(all_of_them, sql_insert)),
    on_update = rappel.with_values(format(all_of_them, sql_update)), on_delete = rappel.with_values(format(all_of_them, sql_delete)), on_truncate = rappel.with_values(format(all_of_them, sql_truncate))
   where l.tbl = attach_capture.tbl;
  if (select count(*) < 4 from pg_trigger t where t.tgrelid = target::regclass and t.tgname like 'rappel\_capture\_%') then
    execute format('create or replace trigger rappel_capture_insert after insert on %s referencing new table as new_rows for each statement execute function %s()', target, fn);
    execute format('create or replace trigger rappel_capture_update after update on %s referencing old table as old_rows new table as new_rows for each statement execute function %s()', target, fn);
    execute format('create or replace trigger rappel_capture_delete after delete on %s referencing old table as old_rows for each statement execute function %s()', target, fn);
    execute format('create or replace trigger rappel_capture_truncate before truncate on %s for each statement execute function %s()', target, fn);
    perform rappel.ensure_change_partitions(4, 2);
  end if;
  perform rappel.define_change_views(attach_capture.tbl);
end
$generator$;

-- A log's images as JSON: what a record's columns held, under the fields' names. `side` is a or b. A column is in them from when it came until it went.
create function rappel.log_image(tbl text, side text) returns text language sql stable as $$
  select format('(select to_jsonb(x.*)%s from (select l.rec as id%s) x)%s',
    coalesce(' - array_remove(array[' || string_agg(format('case when l.id < %s then %L end', c.since, c.field), ', ' order by c.bit) filter (where c.until is null and c.since > 0) || ']::text[], null)', ''),
    coalesce(string_agg(format(', l.%I as %I', side || '_' || c.stem, c.field), '' order by c.bit) filter (where c.until is null), ''),
    coalesce(string_agg(format(' || case when l.id >= %s and l.id < %s then jsonb_build_object(%L, l.%I) else ''{}'' end', c.since, c.until, c.field, side || '_' || c.stem), '' order by c.bit)
               filter (where c.until is not null), ''))
    from rappel.log_column c where c.tbl = log_image.tbl
$$;

-- The changes of a table with whole images, as SQL over its log.
create function rappel.change_branch(of_table text) returns text language sql stable as $$
  select format($q$
    select l.id, %1$L::text as tbl, l.rec, l.kind::text as kind,
           case l.kind when 'created' then null when 'deleted' then %2$s else (%2$s) - array_remove(array['id'%3$s]::text[], null) end as before,
           case when l.kind <> 'deleted' then %4$s end as after,
           case when l.kind = 'deleted' then '{}' else array_remove(array[%5$s]::text[], null) end as changed,
           l.at, l.xid, (select a.by from rappel.actor a where a.id = l.actor) as by, l.run, l.depth
      from %6$s l$q$, of_table, rappel.log_image(of_table, 'b'), kept, rappel.log_image(of_table, 'a'), coalesce(flagged, ''), rappel.log_name(of_table))
    from (
      select string_agg(format(', case when %sl.%I & %s = 0 then %L end', within, rappel.mask_of(c.bit), rappel.mask_bit(c.bit), c.field), '' order by c.bit) as kept,
             string_agg(format('case when %sl.%I & %s <> 0 then %L end', within, rappel.mask_of(c.bit), rappel.mask_bit(c.bit), c.field), ', ' order by c.bit) filter (where c.counts) as flagged
        from rappel.log_column c
        cross join lateral (select case when c.until is null then '' else format('l.id >= %s and l.id < %s and ', c.since, c.until) end as within) w
       where c.tbl = of_table) parts
$$;

-- Makes the view of a table's changes with whole images anew, and the one over all tables, for whatever looks across them.
create function rappel.define_change_views(of_table text) returns void language plpgsql as $$
declare
  columns text := 'id, tbl, rec, kind, before, after, changed, at, xid, by, run, depth';
begin
  execute format('create or replace view rappel_change.%I as %s', of_table, rappel.change_branch(of_table))
    || case when (select o.moved from rappel.log_of o where o.tbl = of_table) then '' else format(' union all select %s from rappel.change_json where tbl = %L', columns, of_table) end;
  execute (
    select format('create or replace view rappel.change as select %1$s from rappel.change_json where tbl <> all(%2$L::text[])', columns, array_agg(o.tbl))
        || string_agg(format(' union all select %s from rappel_change.%I', columns, o.tbl), '' order by o.number)
      from rappel.log_of o where to_regclass(format('rappel_change.%I', o.tbl)) is not null);
end
$$;
create view rappel.change as select id, tbl, rec, kind, before, after, changed, at, xid, by, run, depth from rappel.change_json;
create view rappel_change.person as select id, tbl, rec, kind, before, after, changed, at, xid, by, run, depth from rappel.change_json where tbl = 'person';

-- Takes changes of a shard off the queue, the oldest first, at most about so many, and says which. What one transaction did to one record is never split: whatever else of it is
-- queued comes along. So a stretch is to be taken piece by piece only where its transaction did nothing else to the table: then it is answered (`ids` is null), and whoever asked takes a
-- piece of it off. Else it is put into single changes first.
create function rappel.claim_queue(of_shard int, most int) returns table (of_table text, ids bigint[], first_id bigint, last_id bigint, of_xid xid8) language plpgsql as $$
#variable_conflict use_column
declare
  head rappel.queue;
begin
  loop
    with near as (select * from rappel.queue q where q.shard = of_shard order by q.change_id limit most)
    select q.* into head from rappel.queue q
     where q.shard = of_shard and q.last is not null
       and exists (select from near n where n.xid = q.xid and n.tbl = q.tbl and (n.change_id <> q.change_id or n.change_id = (select min(change_id) from near)))
     order by q.change_id limit 1;
    exit when not found;
    if not exists (select from rappel.queue q where q.shard = of_shard and q.xid = head.xid and q.tbl = head.tbl and q.change_id <> head.change_id) then
      return query select head.tbl, null::bigint[], head.change_id, head.last, head.xid;
      return;
    end if;
    delete from rappel.queue q where q.shard = of_shard and q.change_id = head.change_id;
    execute format('insert into rappel.queue (shard, change_id, tbl, rec, xid) select $4, l.id, $5, l.rec, $3 from %s l where l.id between $1 and $2 and l.xid = $3 and rappel.shard_of($5, l.rec) = $4',
                   rappel.log_name(head.tbl)) using head.change_id, head.last, head.xid, of_shard, head.tbl;
  end loop;
  return query
    with first as (select q.tbl, q.rec, q.xid from rappel.queue q
                    where q.shard = of_shard and q.last is null
                      and q.change_id < coalesce((select min(s.change_id) from rappel.queue s where s.shard = of_shard and s.last is not null), 9223372036854775807)
                    order by q.change_id limit most),
         taken as (delete from rappel.queue q using (select distinct tbl, rec, xid from first) f
                    where q.shard = of_shard and q.tbl = f.tbl and q.rec = f.rec and q.xid = f.xid returning q.change_id, q.tbl, q.rec, q.xid),
         noted as (insert into rappel.change_apart (change_id, tbl)
                   select t.change_id, t.tbl from (select *, count(*) over (partition by tbl, rec, xid) as rows from taken) t where t.rows > 1)
    select t.tbl, array_agg(t.change_id), null::bigint, null::bigint, null::xid8 from taken t group by t.tbl;
end
$$;

do $$
begin
  execute replace(pg_get_functiondef('rappel.capture_person()'::regprocedure), 'insert into rappel.change (', 'insert into rappel.change_json (');
end
$$;
insert into rappel.log_of (tbl, moved) select name, not exists (select from rappel.change_json j where j.tbl = name) from rappel.table_def order by position;
select rappel.attach_capture(name) from rappel.table_def order by position;
create index queue_stretch on rappel.queue (shard, change_id) where last is not null;

-- Whether a row changed is told by how it is stored: some types have no equality.
do $$
declare
  one record;
begin
  for one in select name from rappel.table_def loop
    execute format('create or replace trigger rappel_touch before update on data.%I for each row when (old.* *<> new.*) execute function rappel.touch_updated_at()', one.name);
  end loop;
end
$$;
