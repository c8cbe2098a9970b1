-- How far a table's changes that are kept as images have been moved into its log, and whether all were looked at.
alter table rappel.log_of add column moved_to bigint not null default 0, add column move_ended boolean not null default false;
create index change_json_of_table on rappel.change_json (tbl, id);

-- Readies a table's log for changes that are kept as images: fields that the table has no more get columns that hold what there was, and fields say since when they are there.
create function rappel.ready_move(of_table text) returns void language plpgsql as $$
#variable_conflict use_column
declare
  lost record;
  now_id bigint := nextval('rappel.change_id');
begin
  for lost in select distinct k as field from rappel.change_json j, jsonb_object_keys(coalesce(j.before, '{}') || coalesce(j.after, '{}')) k
               where j.tbl = of_table and k <> 'id' and not exists (select from rappel.log_column c where c.tbl = of_table and c.field = k) order by k loop
    perform rappel.add_log_column(of_table, null, lost.field, 'jsonb', lost.field not in ('created_at', 'updated_at'), 0, now_id);
  end loop;
  update rappel.log_column c set since = greatest(c.since, (select coalesce(max(j.id) + 1, 0) from rappel.change_json j where j.tbl = of_table and not coalesce(j.after, j.before) ? c.field))
   where c.tbl = of_table and c.until is null;
  perform rappel.define_change_views(of_table);
end
$$;

-- Moves the next changes of a table that are kept as images, at most so many, into its log; each is held against what it was, and one that would not be read as it was stays
-- where it is. Answers how many were looked at and how many stayed.
create function rappel.move_changes(of_table text, most int, out looked_at int, out stayed int) language plpgsql as $$
#variable_conflict use_column
declare
  from_id bigint;
  to_id bigint;
  one_id bigint;
  stays bigint[];
begin
  select o.moved_to into from_id from rappel.log_of o where o.tbl = of_table for update;
  if from_id = 0 then
    perform rappel.ready_move(of_table);
  end if;
  select max(id), count(*) into to_id, looked_at from (select j.id from rappel.change_json j where j.tbl = of_table and j.id > from_id order by j.id limit most) j;
  if looked_at = 0 then
    update rappel.log_of set move_ended = true, moved = not exists (select from rappel.change_json j where j.tbl = of_table) where tbl = of_table;
    perform rappel.define_change_views(of_table);
    stayed := 0;
    return;
  end if;
  begin
    stays := rappel.move_stretch(of_table, from_id, to_id);
  exception when others then -- a value that its column does not take: those before and after it go one by one
    stays := '{}';
    for one_id in select j.id from rappel.change_json j where j.tbl = of_table and j.id > from_id and j.id <= to_id order by j.id loop
      begin
        stays := stays || rappel.move_stretch(of_table, one_id - 1, one_id);
      exception when others then
        stays := stays || one_id;
      end;
    end loop;
  end;
  update rappel.log_of set moved_to = to_id where tbl = of_table;
  stayed := cardinality(stays);
end
$$;

create function rappel.move_stretch(of_table text, from_id bigint, to_id bigint) returns bigint[] language plpgsql as $$
declare
  the_log text := rappel.log_name(of_table);
  names text;
  news text;
  masks text;
  mask_names text;
  stays bigint[];
begin
  select string_agg(format('%I, %I', 'b_' || c.stem, 'a_' || c.stem), ', ' order by c.bit),
         string_agg(case when c.until is null then format('case when j.kind = ''deleted'' or j.before ? %1$L then o.%1$I end, n.%1$I', c.field)
                         when c.attnum is null then format('j.before -> %1$L, j.after -> %1$L', c.field)
                         else 'null, null' end, ', ' order by c.bit)
    into names, news from rappel.log_column c where c.tbl = of_table;
  select string_agg(m, ', ' order by w), string_agg(bits, ', ' order by w) into mask_names, masks from (
    select c.bit / 63 as w, min(rappel.mask_of(c.bit)) as m,
           string_agg(format('case when j.kind = ''changed'' and j.before ? %1$L or j.kind = ''created'' and j.changed @> array[%1$L] then %2$s else 0::bigint end', c.field, rappel.mask_bit(c.bit)), ' | ') as bits
      from rappel.log_column c where c.tbl = of_table and (c.until is null or c.attnum is null) group by c.bit / 63) x;
  perform rappel.actor_of(b.by) from (select distinct j.by::text as by from rappel.change_json j where j.tbl = of_table and j.id > from_id and j.id <= to_id) b;
  execute format($f$
    insert into %1$s (id, rec, kind, at, xid, actor, run, depth, %2$s, %3$s)
    select j.id, j.rec, j.kind::rappel.change_kind, j.at, j.xid, (select min(a.id) from rappel.actor a where a.key = j.by::text), j.run, j.depth, %4$s, %5$s
      from rappel.change_json j
      cross join lateral jsonb_populate_record(null::data.%6$I, coalesce(j.after, '{}')) n
      cross join lateral jsonb_populate_record(null::data.%6$I, coalesce(j.before, '{}')) o
     where j.tbl = $1 and j.id > $2 and j.id <= $3$f$, the_log, mask_names, names, masks, news, of_table) using of_table, from_id, to_id;
  -- Held against what it was: values as their types write them, for a moment may be written in several zones.
  execute format($f$
    select coalesce(array_agg(j.id), '{}') from rappel.change_json j
      cross join lateral (select c.* from (%2$s) c where c.id = j.id) c
     where j.tbl = $1 and j.id > $2 and j.id <= $3
       and (rappel.as_typed(j.before, null::data.%1$I) is distinct from c.before or rappel.as_typed(j.after, null::data.%1$I) is distinct from c.after
            or (j.rec, j.kind, j.at, j.xid, j.by, j.depth) is distinct from (c.rec, c.kind, c.at, c.xid, c.by, c.depth) or j.run is distinct from c.run
            or not (c.changed <@ j.changed and j.changed <@ c.changed))$f$, of_table, rappel.change_branch(of_table)) into stays using of_table, from_id, to_id;
  execute format('delete from %s where id = any($1)', the_log) using stays;
  delete from rappel.change_json j where j.tbl = of_table and j.id > from_id and j.id <= to_id and j.id <> all(stays);
  return stays;
end
$$;

-- An image with its values as the types of a table's columns write them; fields that the table has no more as they are.
create function rappel.as_typed(image jsonb, of_row anyelement) returns jsonb language sql stable as $$
  select image || coalesce((select jsonb_object_agg(t.key, t.value) from jsonb_each(to_jsonb(jsonb_populate_record(of_row, image))) t where image ? t.key), '{}') where image is not null
$$;

-- Drops months of logs that ended so many months ago or earlier, and that nothing needs which is still open; answers which. What the default partitions hold stays.
create function rappel.drop_old_changes(months int) returns setof text language plpgsql as $$
declare
  needed timestamptz := least(
    (select min(s.since) from rappel.stay s where s.outcome is null),
    (select min(c.at) from rappel.queue q join rappel.change c on c.id = q.change_id),
    (select min(c.at) from rappel.catch_up l join rappel.change c on c.id = l.change_id));
  part record;
begin
  for part in
    select c.oid::regclass::text as name, substring(pg_get_expr(c.relpartbound, c.oid) from 'TO \(''([^'']+)''\)')::timestamptz as until
      from pg_inherits i join pg_class c on c.oid = i.inhrelid join pg_class p on p.oid = i.inhparent join pg_namespace n on n.oid = p.relnamespace
     where (n.nspname = 'rappel_log' or i.inhparent = 'rappel.change_json'::regclass) and pg_get_expr(c.relpartbound, c.oid) <> 'DEFAULT' loop
    continue when part.until > now() - make_interval(months => months) or part.until > needed;
    execute 'drop table ' || part.name;
    return next part.name;
  end loop;
end
$$;
