-- The function that has a table captured, whole as it is now, so that whoever looks for it need not put it together from what changed it.
create or replace function rappel.attach_capture(tbl text)
 returns void
 language plpgsql
as $function$
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
create or replace function %1$s() returns trigger language plpgsql security definer set search_path = pg_catalog, pg_temp set plan_cache_mode = force_generic_plan set enable_hashjoin = off as $capture$
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
$function$
;
