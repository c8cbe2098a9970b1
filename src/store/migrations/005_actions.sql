-- Runs can wait (something that may pass stood in their way) or be stopped (a loop); each knows the chain of runs behind it.
alter table rappel.run drop constraint run_state_check;
alter table rappel.run add constraint run_state_check check (state in ('done', 'failed', 'stopped', 'waiting'));
alter table rappel.run
  add column chain jsonb not null default '[]',
  add column attempt int not null default 1,
  add column next_at timestamptz,
  add constraint run_waiting_check check ((state = 'waiting') = (next_at is not null));
create index run_waiting on rappel.run (next_at) where state = 'waiting';

create table rappel.channel (
  name text primary key check (btrim(name) <> ''),
  url text not null,
  secret text not null
);

-- A short post: to a channel (delivered as an event to its address), to people in the application, or both.
create table rappel.notice (
  id bigint generated always as identity primary key,
  run bigint not null references rappel.run (id) on delete cascade,
  workflow bigint not null references rappel.workflow (id) on delete cascade,
  event_id uuid not null unique default gen_random_uuid(),
  channel text,
  people bigint[] not null default '{}',
  title text not null,
  body text not null,
  tbl text not null,
  rec bigint not null,
  state text not null check (state in ('queued', 'sent', 'failed')),
  attempt int not null default 0,
  next_at timestamptz not null,
  last_reply text,
  created_at timestamptz(3) not null,
  finished_at timestamptz(3)
);
create index notice_due on rappel.notice (next_at, id) where state = 'queued';
create index notice_of_run on rappel.notice (run);

create table rappel.template (
  name text primary key check (btrim(name) <> ''),
  table_name text not null references rappel.table_def (name),
  subject text not null,
  body text not null,
  format text not null check (format in ('rich', 'plain')),
  priority text not null check (priority in ('low', 'normal', 'high')),
  version int not null default 1,
  updated_at timestamptz not null default now()
);

create table rappel.template_version (
  name text not null references rappel.template (name) on delete cascade on update cascade,
  version int not null,
  document json not null,
  at timestamptz not null default now(),
  by bigint references rappel.person (id) on delete set null,
  primary key (name, version)
);

-- Names and addresses that mail can be from besides the organisation's own.
create table rappel.sender (
  name text primary key check (btrim(name) <> ''),
  display text not null,
  address text not null
);
