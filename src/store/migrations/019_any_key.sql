-- Records may have keys of any kind: whole numbers, UUIDs or texts. Logs hold them in their own types; what is about records of any table holds them as JSON, as documents do:
-- a number where the key is one (and one that JSON's readers hold exactly), else a text.
create function rappel.key_of(rec bigint) returns jsonb language sql immutable as $$
  select case when rec between -9007199254740991 and 9007199254740991 then to_jsonb(rec) else to_jsonb(rec::text) end
$$;
create function rappel.key_of(rec uuid) returns jsonb language sql immutable as $$ select to_jsonb(rec) $$;
create function rappel.key_of(rec text) returns jsonb language sql immutable as $$ select to_jsonb(rec) $$;

-- The shard of a record is the same however its key is written.
create function rappel.shard_of(tbl text, rec text) returns smallint language sql immutable as $$
  select case when rec ~ '^-?[0-9]{1,18}$' then rappel.shard_of(tbl, rec::bigint) else ((hashtext(rec) # hashtext(tbl)) & 15)::smallint end
$$;
create or replace function rappel.shard_of(tbl text, rec bigint) returns smallint language sql immutable as $$
  select (((case when rec between -999999999999999999 and 999999999999999999 then hashint8(rec) else hashtext(rec::text) end) # hashtext(tbl)) & 15)::smallint
$$;
create function rappel.shard_of(tbl text, rec uuid) returns smallint language sql immutable as $$ select rappel.shard_of(tbl, rec::text) $$;
create function rappel.shard_of(tbl text, rec jsonb) returns smallint language sql immutable as $$ select rappel.shard_of(tbl, rec #>> '{}') $$;

alter table rappel.queue alter column rec type jsonb using rappel.key_of(rec);
alter table rappel.run alter column rec type jsonb using rappel.key_of(rec);
alter table rappel.message alter column rec type jsonb using rappel.key_of(rec);
alter table rappel.notice alter column rec type jsonb using rappel.key_of(rec);
alter table rappel.stay alter column rec type jsonb using rappel.key_of(rec);
alter table rappel.fitted alter column rec type jsonb using rappel.key_of(rec);
alter table rappel.trial alter column record type jsonb using rappel.key_of(record);
alter table rappel.press alter column records type jsonb using to_jsonb(records);
-- Null until the first page is done.
alter table rappel.tick alter column cursor drop default, alter column cursor drop not null, alter column cursor type jsonb using nullif(to_jsonb(cursor), '0');

-- Mends a function of before: every place where `was` stands in it.
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

-- The type that a log keeps its table's keys in: whole numbers in one type, so that a wider one needs no new column.
create function rappel.key_type(of_table regclass) returns text language sql stable as $$
  select case when t in ('smallint', 'integer', 'bigint') then 'bigint' when t = 'uuid' then 'uuid' else 'text' end
    from (select rappel.log_type(a.atttypid, a.atttypmod) as t from pg_attribute a where a.attrelid = of_table and a.attname = 'id' and not a.attisdropped) k
$$;

-- Brings a log's keys to the type of its table's, where that is another now. Where one of those kept cannot be of it, there is no telling which record that is now: the log is put aside
-- under another name, and one is begun anew.
create function rappel.follow_key(tbl text) returns void language plpgsql as $$
#variable_conflict use_variable
declare
  wanted text := rappel.key_type(format('data.%I', tbl)::regclass);
  the_log text := rappel.log_name(tbl);
begin
  if to_regclass(the_log) is null or wanted = (select format_type(a.atttypid, null) from pg_attribute a where a.attrelid = to_regclass(the_log) and a.attname = 'rec') then
    return;
  end if;
  drop view rappel.change;
  execute format('drop view if exists rappel_change.%I', tbl);
  begin
    execute format('alter table %s alter column rec type %s using rec::text::%2$s', the_log, wanted);
  exception when data_exception then
    execute format('alter table %s rename to %I', the_log, tbl || '~' || (select l.number from rappel.log_of l where l.tbl = tbl));
    delete from rappel.log_of l where l.tbl = tbl;
  end;
end
$$;

select rappel.mend('rappel.shape_log(text)', 'rec bigint not null, xid', 'rec %s not null, xid');
select rappel.mend('rappel.shape_log(text)', 'partition by range (at)$f$, the_log);', 'partition by range (at)$f$, the_log, rappel.key_type(the_table));');
select rappel.mend('rappel.shape_log(text)', E'begin\n  insert into rappel.log_of', E'begin\n  perform rappel.follow_key(shape_log.tbl);\n  insert into rappel.log_of');

-- Keys are queued as JSON, and are JSON where changes of all tables are looked at.
select rappel.mend('rappel.attach_capture(text)', 'select %s, id, %L, rec, ‹xid› from logged', 'select %s, id, %L, rappel.key_of(rec), ‹xid› from logged');
select rappel.mend('rappel.attach_capture(text)', 'select p.shard, p.id, null, %2$L, p.rec, ‹xid›', 'select p.shard, p.id, null, %2$L, rappel.key_of(p.rec), ‹xid›');
select rappel.mend('rappel.claim_queue(integer,integer)', 'select $4, l.id, $5, l.rec, $3 from', 'select $4, l.id, $5, rappel.key_of(l.rec), $3 from');
select rappel.mend('rappel.define_change_views(text)', 'begin', E'  over_all text := replace(columns, ''rec'', ''rappel.key_of(rec) as rec'');\nbegin');
select rappel.mend('rappel.define_change_views(text)', 'columns, array_agg(o.tbl))', 'over_all, array_agg(o.tbl))');
select rappel.mend('rappel.define_change_views(text)', 'rappel_change.%I'', columns, o.tbl)', 'rappel_change.%I'', over_all, o.tbl)');

drop view rappel.change;
create view rappel.change as select id, tbl, rappel.key_of(rec) as rec, kind, before, after, changed, at, xid, by, run, depth from rappel.change_json;
select rappel.attach_capture(name) from rappel.table_def order by position;
drop function rappel.mend;
