-- Files: their content never changes; the library gives names to some, and a name can move on to another content.
alter table rappel.file
  add column size int generated always as (octet_length(content)) stored,
  add column by bigint references rappel.person (id) on delete set null;

create table rappel.library_file (
  name text primary key check (btrim(name) <> ''),
  file bigint not null references rappel.file (id),
  updated_at timestamptz not null default now()
);

-- What a message carries: [{ file, name, type, cid? }], the ones with a cid shown inside its text.
alter table rappel.message add column attachments jsonb;
-- Which entry of the action each address came from, as a JSON Pointer into the document.
alter table rappel.message_recipient add column path text;

-- A draft armed for real: for one record, or for one person's own changes; all its mail goes to that person.
create table rappel.trial (
  id bigint generated always as identity primary key,
  workflow bigint not null references rappel.workflow (id) on delete cascade,
  document json not null,
  record bigint,
  -- Who armed it, as changes name whoever made them.
  by jsonb not null,
  person bigint not null references rappel.person (id) on delete cascade,
  from_snapshot pg_snapshot not null,
  from_at timestamptz not null,
  until_at timestamptz not null,
  ended_at timestamptz,
  check (until_at > from_at and until_at <= from_at + interval '1 hour')
);
create index trial_open on rappel.trial (until_at) where ended_at is null;

-- A trial's run handles a change beside the live version's run, not instead of it.
alter table rappel.run
  add column trial bigint references rappel.trial (id) on delete cascade,
  drop constraint run_workflow_change_id_key;
create unique index run_once on rappel.run (workflow, change_id, coalesce(trial, 0));
create index run_of_trial on rappel.run (trial) where trial is not null;

-- Changes that passed a paused workflow by and are run after all, with the version that was paused.
alter table rappel.stretch add column caught_up_at timestamptz;
create table rappel.catch_up (
  workflow bigint not null references rappel.workflow (id) on delete cascade,
  version int not null,
  change_id bigint not null,
  primary key (workflow, change_id)
);

alter table rappel.api_token add column last_used_at timestamptz;

-- People as records see them: without what only signing in needs.
create view rappel.person_record as
  select id, name, first_name, last_name, email, phone, team, manager, active, created_at, updated_at from rappel.person;

-- Changes of people are kept like all others, so that it can be said how they stood; they are handled by nobody and not queued.
create function rappel.capture_person() returns trigger language plpgsql security definer set search_path = pg_catalog, pg_temp as $$
declare
  o jsonb := case when tg_op = 'INSERT' then null else to_jsonb(old) - '{password_hash,role}'::text[] end;
  n jsonb := case when tg_op = 'DELETE' then null else to_jsonb(new) - '{password_hash,role}'::text[] end;
  fields text[] := array(select k from jsonb_object_keys(coalesce(n, o)) k
                          where k not in ('id', 'created_at', 'updated_at') and (o -> k is distinct from n -> k) and not (o is null and n -> k = 'null'));
begin
  if tg_op = 'UPDATE' and cardinality(fields) = 0 then
    return null;
  end if;
  insert into rappel.change (tbl, rec, kind, before, after, changed, at, xid, by, run, depth)
  values ('person', coalesce(new.id, old.id),
          case tg_op when 'INSERT' then 'created' when 'DELETE' then 'deleted' else 'changed' end,
          case tg_op when 'UPDATE' then (select jsonb_object_agg(k, o -> k) from unnest(fields || array['updated_at']) k) else o end,
          n, case when tg_op = 'DELETE' then '{}' else fields end,
          coalesce(nullif(current_setting('rappel.clock', true), '')::timestamptz, clock_timestamp()), pg_current_xact_id(),
          coalesce(nullif(current_setting('rappel.by', true), '')::jsonb, jsonb_build_object('kind', 'system', 'person', null, 'name', session_user)),
          nullif(current_setting('rappel.run', true), '')::bigint, coalesce(nullif(current_setting('rappel.depth', true), '')::int, 0));
  return null;
end
$$;
create trigger rappel_capture_person after insert or update or delete on rappel.person for each row execute function rappel.capture_person();

-- Who saved a draft last, so that two who edit the same one are told of each other.
alter table rappel.workflow add column draft_saved_by bigint references rappel.person (id) on delete set null;
