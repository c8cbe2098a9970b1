-- The log of a table that is new was given the four months before, in which nothing can have been written to it, and each table's log was looked at for the sake of one. It is given this month and the
-- next; later ones are made each night for all of them, and what a clock that is set back writes goes into its default partition.
create function rappel.ready_months(parent text, stem text, other text, back int, ahead int) returns void language plpgsql as $$
declare
  this_month timestamp := date_trunc('month', now() at time zone 'UTC');
  month timestamp;
  has boolean;
begin
  for month in select generate_series(this_month - make_interval(months => back), this_month + make_interval(months => ahead), interval '1 month') loop
    continue when to_regclass(format('rappel.%I', stem || '_' || to_char(month, 'YYYY_MM'))) is not null;
    execute format('select exists (select from rappel.%I where at >= %L and at < %L)', other, month at time zone 'UTC', (month + interval '1 month') at time zone 'UTC') into has;
    continue when has;
    execute format('create table rappel.%I partition of %s for values from (%L) to (%L)', stem || '_' || to_char(month, 'YYYY_MM'), parent, month at time zone 'UTC',
      (month + interval '1 month') at time zone 'UTC');
  end loop;
end
$$;

-- Months of a table's log, so many before this one and after it.
create function rappel.ready_log(of_table text, back int, ahead int) returns void language sql as $$
  select rappel.ready_months(rappel.log_name(of_table), 'log_' || o.number, 'log_' || o.number || '_other', back, ahead) from rappel.log_of o where o.tbl = of_table
$$;

-- Of all logs in one transaction, which takes a lock for each part and index that it makes; where there are hundreds of tables, one goes after the other (store/changes).
create or replace function rappel.ensure_change_partitions(back int, ahead int) returns void language plpgsql as $$
begin
  perform rappel.ready_months('rappel.change_json', 'change', 'change_json_other', back, ahead);
  perform rappel.ready_log(o.tbl, back, ahead) from rappel.log_of o;
end
$$;

create or replace function rappel.set_triggers(of_table text) returns void language plpgsql as $$
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
      perform rappel.ready_log(of_table, 0, 1);
    end if;
  end loop;
end
$$;

-- A log follows its table in one statement however many columns came: one for each took most of the time that it takes to make a table of hundreds of fields.
create or replace function rappel.shape_log(tbl text) returns void language plpgsql as $$
#variable_conflict use_column
declare
  the_log text := rappel.log_name(shape_log.tbl);
  number int;
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
  end if;
  now_id := case when is_new then 0 else nextval('rappel.change_id') end;
  update rappel.log_column c set until = now_id
   where c.tbl = shape_log.tbl and c.until is null and not exists (select from rappel.captured(shape_log.tbl) r where r.attnum = c.attnum and r.type = c.type);
  update rappel.log_column c set field = col.field, counts = col.counts from rappel.captured(shape_log.tbl) col
   where c.tbl = shape_log.tbl and c.attnum = col.attnum and c.until is null and c.type = col.type and (c.field, c.counts) is distinct from (col.field, col.counts);
  perform rappel.add_log_columns(shape_log.tbl, now_id);
  -- A part that is made with all columns is made faster than one that is given them.
  if is_new then
    execute format('create table rappel.%I partition of %s default', 'log_' || number || '_other', the_log);
  end if;
end
$$;

-- Gives a log the columns of what is captured of its table and has none yet.
create function rappel.add_log_columns(of_table text, from_id bigint) returns void language plpgsql as $$
declare
  first_bit int := (select coalesce(max(c.bit) + 1, 0) from rappel.log_column c where c.tbl = of_table);
  parts text;
begin
  with fresh as (
    select r.*, first_bit + (row_number() over (order by r.attnum))::int - 1 as bit from rappel.captured(of_table) r
     where not exists (select from rappel.log_column c where c.tbl = of_table and c.attnum = r.attnum and c.until is null and c.type = r.type)),
  added as (
    insert into rappel.log_column (tbl, bit, attnum, field, stem, type, counts, since, until)
    select of_table, f.bit, f.attnum, f.field,
           case when octet_length(f.field) <= 61 and not exists (select from rappel.log_column c where c.tbl = of_table and c.stem = f.field) then f.field else '~' || f.bit end,
           f.type, f.counts, from_id, null from fresh f
    returning bit, stem, type)
  select string_agg(case when a.bit > 0 and a.bit % 63 = 0 then format('add column %s bigint not null default 0, ', rappel.mask_of(a.bit)) else '' end
                    || format('add column %I %3$s, add column %2$I %3$s', 'b_' || a.stem, 'a_' || a.stem, a.type), ', ' order by a.bit)
    into parts from added a;
  if parts is not null then
    execute format('alter table %s %s', rappel.log_name(of_table), parts);
  end if;
end
$$;
