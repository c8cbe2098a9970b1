-- The mail server is a setting, with secrets of which the audit log says that they changed, never what they are.

create or replace function rappel.audited_setting() returns trigger language plpgsql as $$
declare
  hidden constant text[] := '{clientSecret,password,dkimKey,value}';
  image_of_old jsonb := case when tg_op = 'INSERT' then '{}'::jsonb when jsonb_typeof(old.value) = 'object' then old.value else jsonb_build_object('value', old.value) end;
  image_of_new jsonb := case when tg_op = 'DELETE' then '{}'::jsonb when jsonb_typeof(new.value) = 'object' then new.value else jsonb_build_object('value', new.value) end;
  differences jsonb := rappel.audited_differences(image_of_old, image_of_new, '{}', hidden);
begin
  if differences <> '{}' then
    perform rappel.note('settings changed', case when tg_op = 'DELETE' then old.key else new.key end, differences);
  end if;
  return null;
end
$$;

-- Tables are designed in the browser: fields are told to be unique, choices have marks, tables are archived, and what a rename did to a version is noted at it.

alter table rappel.field_def add column if not exists is_unique boolean not null default false;
alter table rappel.field_def add column if not exists marks jsonb;
alter table rappel.table_def add column if not exists archived_at timestamptz;
alter table rappel.workflow_version add column notes text[] not null default '{}';

-- How somebody looks at a table's records: one's own views, and those for everybody (person is null).
create table rappel.view (
  id bigint generated always as identity primary key,
  tbl text not null references rappel.table_def (name) on delete cascade,
  name text not null check (btrim(name) <> '' and length(name) <= 120),
  person bigint references rappel.person (id) on delete cascade,
  definition jsonb not null,
  unique nulls not distinct (tbl, name, person)
);

-- Imports with a name, which are run again by a file dropped on them, by the API, or laid into their folder; and the files that were taken from there, so that none is taken twice.
create table rappel.import_def (
  name text primary key check (btrim(name) <> '' and length(name) <= 80),
  tbl text not null references rappel.table_def (name) on delete cascade,
  definition jsonb not null,
  made_by bigint references rappel.person (id) on delete set null,
  made_at timestamptz not null default now()
);
create trigger audited after insert or update or delete on rappel.import_def for each row execute function rappel.audited('import', 'name', 'made_at', '');

create table rappel.import_file (
  import text not null references rappel.import_def (name) on update cascade on delete cascade,
  file text not null,
  mark text not null,
  at timestamptz not null default now(),
  bulk bigint references rappel.bulk (id) on delete set null,
  problem text,
  primary key (import, file, mark)
);
create index on rappel.import_file (at) where problem is not null;

-- What was answered to calls that carried a key of their own, so that the same call again is answered alike and does nothing.
create table rappel.answered (
  who text not null,
  key text not null,
  asked text not null,
  status int not null,
  answer jsonb not null,
  at timestamptz not null default now(),
  primary key (who, key)
);
create index on rappel.answered (at);

-- Programs elsewhere that are told of every change: where, signed with what, of which tables, and how far. Changes of transactions from `from_xid` on, up to `upto_xid`, are told in order of their ids; then the next stretch.
create table rappel.hook (
  name text primary key check (btrim(name) <> '' and length(name) <= 80),
  url text not null,
  secret text not null,
  tables text[],
  -- what was there when it began, which it is not told; null where it goes on after a change
  since pg_snapshot,
  from_xid xid8 not null,
  upto_xid xid8 not null,
  after_id bigint not null default 0,
  attempt int not null default 0,
  next_at timestamptz not null default now(),
  reply text,
  told_at timestamptz,
  made_by bigint references rappel.person (id) on delete set null
);
create trigger audited after insert or update of name, url, secret, tables or delete on rappel.hook for each row execute function rappel.audited('webhook', 'name', 'since from_xid upto_xid after_id attempt next_at reply told_at', 'secret');
