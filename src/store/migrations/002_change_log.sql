-- The change log: append-only, by month. `before` of a change holds only the old values of changed fields;
-- the whole image before is after || before.
create sequence rappel.change_id;

create table rappel.change (
  id bigint not null default nextval('rappel.change_id'),
  tbl text not null,
  rec bigint not null,
  kind text not null check (kind in ('created', 'changed', 'deleted')),
  before jsonb,
  after jsonb,
  changed text[] not null default '{}',
  at timestamptz(3) not null,
  xid xid8 not null,
  by jsonb not null,
  run bigint,
  depth int not null default 0,
  primary key (id, at)
) partition by range (at);

create index change_of_record on rappel.change (tbl, rec, id);
create index change_of_table on rappel.change (tbl, id);
create index change_of_run on rappel.change (run) where run is not null;

create table rappel.change_other partition of rappel.change default;

-- Makes the months' partitions from `back` months ago to `ahead` months from now. A month that already has rows in the
-- default partition keeps them there.
create function rappel.ensure_change_partitions(back int, ahead int) returns void language plpgsql as $$
declare
  month timestamptz;
  part text;
begin
  for month in select generate_series(date_trunc('month', now() at time zone 'UTC') - make_interval(months => back),
                                      date_trunc('month', now() at time zone 'UTC') + make_interval(months => ahead),
                                      interval '1 month') at time zone 'UTC' loop
    part := 'change_' || to_char(month at time zone 'UTC', 'YYYY_MM');
    continue when to_regclass('rappel.' || part) is not null;
    continue when exists (select from rappel.change_other where at >= month and at < (month at time zone 'UTC' + interval '1 month') at time zone 'UTC');
    execute format('create table rappel.%I partition of rappel.change for values from (%L) to (%L)',
                   part, month, (month at time zone 'UTC' + interval '1 month') at time zone 'UTC');
  end loop;
end
$$;
select rappel.ensure_change_partitions(4, 2);

-- What is still to be handled. A row leaves when a worker commits what it decided; the log itself is never touched again.
-- All changes of one record are in one shard, so that one worker at a time keeps their order.
create table rappel.queue (
  shard smallint not null,
  change_id bigint not null,
  tbl text not null,
  rec bigint not null,
  xid xid8 not null,
  primary key (shard, change_id)
) with (autovacuum_vacuum_scale_factor = 0.0, autovacuum_vacuum_threshold = 2000);

-- Generates the capture of one table from its columns and (re)attaches it. To be called again whenever the columns change.
-- The work of finding what changed is spelled out column by column, which costs a small part of taking images apart at run time.
create function rappel.attach_capture(tbl text) returns void language plpgsql as $generator$
declare
  counting text[];
  every_column text[];
  differs text;
  same text;
  filled text;
  fn text := format('rappel.%I', 'capture_' || tbl);
  target text := format('data.%I', tbl);
  logging text;
begin
  select array_agg(a.attname::text order by a.attnum) into every_column
    from pg_attribute a where a.attrelid = target::regclass and a.attnum > 0 and not a.attisdropped and a.attname <> 'id';
  select array_agg(c order by ord) into counting
    from unnest(every_column) with ordinality as u (c, ord)
   where c not in ('created_at', 'updated_at')
     and not exists (select from rappel.field_def f where f.table_name = tbl and f.name = c and f.housekeeping);
  select string_agg(format('case when o.%1$I is distinct from n.%1$I then %1$L end', c), ', '),
         string_agg(format('case when n.%1$I is not null then %1$L end', c), ', ')
    into differs, filled from unnest(counting) as c;
  select string_agg(format('case when o.%1$I is not distinct from n.%1$I then %1$L end', c), ', ') into same from unnest(every_column) as c;
  logging := format($f$
      insert into rappel.change (tbl, rec, kind, before, after, changed, at, xid, by, run, depth)
      %%s
      returning id, tbl, rec, xid)
    insert into rappel.queue (shard, change_id, tbl, rec, xid)
    select ((pg_catalog.hashint8(rec) # %s) & 15)::smallint, id, tbl, rec, xid from logged;
  $f$, hashtext(tbl));

  execute format($f$
create or replace function %1$s() returns trigger language plpgsql security definer set search_path = pg_catalog, pg_temp as $capture$
declare
  this_at timestamptz := coalesce(nullif(current_setting('rappel.clock', true), '')::timestamptz, clock_timestamp());
  this_xid xid8 := pg_current_xact_id();
  this_by jsonb := coalesce(nullif(current_setting('rappel.by', true), '')::jsonb,
                            jsonb_build_object('kind', 'system', 'person', null, 'name', session_user));
  this_run bigint := nullif(current_setting('rappel.run', true), '')::bigint;
  this_depth int := coalesce(nullif(current_setting('rappel.depth', true), '')::int, 0);
begin
  if tg_op = 'INSERT' then
    with logged as (%2$s
  elsif tg_op = 'UPDATE' then
    with logged as (%3$s
  elsif tg_op = 'DELETE' then
    with logged as (%4$s
  else
    with logged as (%5$s
  end if;
  if found then
    perform pg_notify('rappel_change', '');
  end if;
  return null;
end
$capture$
$f$, fn,
    format(logging, format($q$select %L, n.id, 'created', null, to_jsonb(n), array_remove(array[%s]::text[], null), this_at, this_xid, this_by, this_run, this_depth
        from new_rows n order by n.id$q$, tbl, filled)),
    format(logging, format($q$select %1$L, coalesce(n.id, o.id),
             case when o.id is null then 'created' when n.id is null then 'deleted' else 'changed' end,
             case when o.id is null then null when n.id is null then to_jsonb(o) else to_jsonb(o) - array_remove(array['id', %2$s]::text[], null) end,
             case when n.id is null then null else to_jsonb(n) end,
             case when n.id is null then '{}' when o.id is null then array_remove(array[%3$s]::text[], null) else d.changed end,
             this_at, this_xid, this_by, this_run, this_depth
        from old_rows o full join new_rows n on n.id = o.id
        cross join lateral (select array_remove(array[%4$s]::text[], null) as changed) d
       where o.* is distinct from n.* and (o.id is null or n.id is null or cardinality(d.changed) > 0)$q$, tbl, same, filled, differs)),
    format(logging, format($q$select %L, o.id, 'deleted', to_jsonb(o), null, '{}', this_at, this_xid, this_by, this_run, this_depth from old_rows o$q$, tbl)),
    format(logging, format($q$select %L, o.id, 'deleted', to_jsonb(o), null, '{}', this_at, this_xid, this_by, this_run, this_depth from %s o$q$, tbl, target)));

  execute format('create or replace trigger rappel_capture_insert after insert on %s referencing new table as new_rows for each statement execute function %s()', target, fn);
  execute format('create or replace trigger rappel_capture_update after update on %s referencing old table as old_rows new table as new_rows for each statement execute function %s()', target, fn);
  execute format('create or replace trigger rappel_capture_delete after delete on %s referencing old table as old_rows for each statement execute function %s()', target, fn);
  execute format('create or replace trigger rappel_capture_truncate before truncate on %s for each statement execute function %s()', target, fn);
end
$generator$;
