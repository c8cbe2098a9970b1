-- A row of a log holds what stood before and after, and a row has to fit a page (8 kB; what is short is not put elsewhere: PostgreSQL 15, 73.2 "TOAST"). Of a table with many fields it may not:
-- the statement that changed it failed, or, where the table is another program's, was kept and never logged. What does not fit is kept as images, as changes were before logs were typed.

-- Whether rows of a table's log may come not to fit: so many values before and after, of the 24 bytes that are left where they are.
create function rappel.is_wide(of_table text) returns boolean language sql stable as $$ select count(*) > 160 from rappel.captured(of_table) $$;

-- The key of a record whose change is kept as an image: one that is no number stands in the image alone.
create function rappel.image_key(rec bigint, image jsonb) returns jsonb language sql immutable as $$ select case when rec = 0 then image -> 'id' else rappel.key_of(rec) end $$;

-- From now on some changes of a table are kept as images.
create function rappel.keep_images(of_table text) returns void language sql as $$
  update rappel.log_of set moved = false, move_ended = true where tbl = of_table and moved
$$;

-- How the rows of a statement are kept as images and queued, each by itself; `‹truncated›` is the table that is emptied.
create function rappel.images_sql(of_table text, op text) returns text language plpgsql stable as $$
declare
  key_type text := rappel.key_type(format('data.%I', of_table)::regclass);
  is_number boolean := key_type = 'bigint';
  key_n text := replace(rappel.key_seen(of_table), '‹r›', 'n');
  key_o text := replace(rappel.key_seen(of_table), '‹r›', 'o');
  fields text;
begin
  select string_agg(format('(%s, %L, to_jsonb(%s), to_jsonb(%s), %s is distinct from %s, %L::boolean)', r.attnum, r.field, replace(r.seen, '‹r›', 'n'), replace(r.seen, '‹r›', 'o'),
                           replace(r.compared, '‹r›', 'o'), replace(r.compared, '‹r›', 'n'), r.counts), ', ' order by r.attnum)
    into fields from rappel.captured(of_table) r;
  return rappel.with_values(format($q$with who as (select a.by from rappel.actor a where a.key = ‹by› union all
          select case when left(‹by›, 1) = '{' then (‹by›)::jsonb else jsonb_build_object('kind', 'system', 'person', null, 'name', ‹by›) end limit 1),
  logged as (
    insert into rappel.change_json (tbl, rec, kind, before, after, changed, at, xid, by, run, depth)
    select %1$L, %2$s, k.kind, case k.kind when 'deleted' then i.olds || jsonb_build_object('id', %4$s) when 'changed' then i.differing end,
           case when k.kind <> 'deleted' then i.news || jsonb_build_object('id', %3$s) end, case when k.kind = 'deleted' then '{}' else i.changed end,
           ‹at›, ‹xid›, (select w.by from who w), ‹run›, ‹depth›
      from %5$s
     cross join lateral (select case when %4$s is null then 'created' when %3$s is null then 'deleted' else 'changed' end as kind) k
     cross join lateral (select jsonb_object_agg(x.field, x.n) as news, jsonb_object_agg(x.field, x.o) as olds, coalesce(jsonb_object_agg(x.field, x.o) filter (where x.differs), '{}') as differing,
                                coalesce(array_agg(x.field order by x.place) filter (where x.differs and x.counts), '{}') as changed
                           from (values %6$s) x (place, field, n, o, differs, counts)) i
     where k.kind <> 'changed' or cardinality(i.changed) > 0
     order by coalesce(%3$s, %4$s)
    returning id, %7$s as rec)
  insert into rappel.queue (shard, change_id, tbl, rec, xid) select rappel.place_of(%1$L, rec, shards.n), id, %1$L, rappel.key_of(rec), ‹xid› from logged, rappel.shards$q$,
    of_table, case when is_number then format('coalesce(%s, %s)', key_n, key_o) else '0' end, key_n, key_o,
    case op when 'INSERT' then 'new_rows n left join (select * from new_rows offset 0) o on false' when 'UPDATE' then format('old_rows o full join new_rows n on %s = %s', key_o, key_n)
            when 'DELETE' then 'old_rows o left join (select * from old_rows offset 0) n on false' else '‹truncated› o left join (select * from ‹truncated› offset 0) n on false' end,
    fields, case when is_number then 'rec' else format('(coalesce(after, before) ->> ''id'')::%s', key_type) end));
end
$$;

-- Keeps as images what a statement on an attached table did, which its log has no room for; answers how many statements that were.
create function rappel.keep_left_over(left_over rappel.unlogged, rows_of text) returns int language plpgsql as $$
begin
  perform rappel.keep_images(left_over.tbl);
  execute format('with old_rows as (%1$s%2$s and u.side = ''o''), new_rows as (%1$s%2$s and u.side = ''n''), %3$s', rows_of, left_over.id,
                 substr(rappel.images_sql(left_over.tbl, case left_over.op when 'TRUNCATE' then 'DELETE' else left_over.op end), 6))
    using left_over.at, rappel.xid(), left_over.writer, left_over.run, left_over.depth;
  delete from rappel.unlogged u where u.id = left_over.id;
  return 1;
exception when others then
  update rappel.unlogged u set error = sqlerrm, tries = u.tries + 1 where u.id = left_over.id;
  return 0;
end
$$;

-- A column that got another name has it in images too, as it has in a log, whose values go by their columns.
create function rappel.renamed(image jsonb, olds text[], news text[]) returns jsonb language sql immutable as $$
  select jsonb_object_agg(coalesce(m.new, e.key), e.value) from jsonb_each(image) e left join unnest(olds, news) m (old, new) on m.old = e.key
$$;
create function rappel.rename_in_images(of_table text, olds text[], news text[]) returns void language sql as $$
  update rappel.change_json j
     set before = rappel.renamed(j.before, olds, news), after = rappel.renamed(j.after, olds, news),
         changed = (select coalesce(array_agg(coalesce(m.new, c.field) order by c.place), '{}') from unnest(j.changed) with ordinality c (field, place) left join unnest(olds, news) m (old, new) on m.old = c.field)
   where j.tbl = of_table and (j.after ?| olds or j.before ?| olds)
$$;

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
select rappel.mend('rappel.shape_log(text)', '  update rappel.log_column c set field = col.field', $m$  perform rappel.rename_in_images(shape_log.tbl, m.olds, m.news)
     from rappel.log_of l, (select array_agg(c.field) as olds, array_agg(r.field) as news from rappel.log_column c join rappel.captured(shape_log.tbl) r on r.attnum = c.attnum and r.type = c.type
                             where c.tbl = shape_log.tbl and c.until is null and c.field <> r.field) m
    where l.tbl = shape_log.tbl and not l.moved and m.olds is not null;
  update rappel.log_column c set field = col.field$m$);
select rappel.mend('rappel.log_unlogged(text)', '    exception when others then',
  E'    exception\n    when program_limit_exceeded then\n      logged := logged + rappel.keep_left_over(left_over, rows_of);\n    when others then');
select rappel.mend('rappel.attach_capture(text)', E'begin\n  perform rappel.shape_log(tbl);', E'  is_wide boolean;\nbegin\n  perform rappel.shape_log(tbl);\n  is_wide := rappel.is_wide(tbl);');
select rappel.mend('rappel.attach_capture(text)', 'case when is_attached then ''  begin'' else '''' end', 'case when is_attached or is_wide then ''  begin'' else '''' end');
select rappel.mend('rappel.attach_capture(text)', E'  end;$s$, tbl) else '''' end);', $m$  end;$s$, tbl) when is_wide then format($s$  exception when program_limit_exceeded then
    if %2$s <> %3$s then -- what was followed was undone with the rest
      perform rappel.follow_shape(%1$L);
    end if;
    perform rappel.keep_images(%1$L);
    execute replace(rappel.images_sql(%1$L, tg_op), '‹truncated›', tg_relid::regclass::text) using this_at, this_xid, this_by, this_run, this_depth;
    get diagnostics written = row_count;
  end;$s$, tbl, shape_here, rappel.shape_of(target)) else '' end);$m$);
-- Whether a wide table has images is told by the log, not by its view, which no statement of a writer's makes anew.
select rappel.mend('rappel.define_change_views(text)', 'case when (select o.moved from rappel.log_of o where o.tbl = of_table) then '''' else format('' union all select %s from rappel.change_json where tbl = %L'', columns, of_table) end',
  $m$case when (select o.moved and not rappel.is_wide(of_table) from rappel.log_of o where o.tbl = of_table) then ''
       else format(' union all select %s from rappel.change_json where tbl = %L%s', image_columns, of_table, case when key_type = 'bigint' then '' else ' and rec = 0' end) end$m$);
select rappel.mend('rappel.define_change_views(text)', E'\nbegin\n', $m$
  key_type text := rappel.key_type(format('data.%I', of_table)::regclass);
  image_columns text := case when key_type = 'bigint' then columns else replace(columns, 'rec', format('(coalesce(after, before) ->> ''id'')::%s as rec', key_type)) end;
begin
$m$);
select rappel.mend('rappel.define_change_views(text)', 'select id, tbl, rappel.key_of(rec) as rec, kind::text as kind, at, xid, by, run, depth from rappel.change_json',
  'select id, tbl, rappel.image_key(rec, coalesce(after, before)) as rec, kind::text as kind, at, xid, by, run, depth from rappel.change_json');
drop function rappel.mend;

do $$
declare
  view text := pg_get_viewdef('rappel.change_bare');
  was text := 'key_of(change_json.rec) AS rec';
begin
  if position(was in view) = 0 then
    raise exception 'rappel.change_bare does not contain %', was;
  end if;
  execute 'create or replace view rappel.change_bare as ' || replace(replace(view, 'rappel.key_of(change_json.rec)', 'key_of(change_json.rec)'), was, 'rappel.image_key(change_json.rec, coalesce(change_json.after, change_json.before)) as rec');
end
$$;
select rappel.attach_capture(name) from rappel.table_def where rappel.is_wide(name) order by position;
