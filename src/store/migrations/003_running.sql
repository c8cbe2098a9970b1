-- Workflows, their versions and when each was live.
create table rappel.workflow (
  id bigint generated always as identity primary key,
  name text not null unique check (btrim(name) <> ''),
  draft json not null, -- json, not jsonb: the document comes back as it was written, its keys in order
  draft_saved_at timestamptz not null default now(),
  state text not null default 'draft' check (state in ('draft', 'live', 'paused')),
  version int,
  created_by bigint references rappel.person (id) on delete set null,
  created_at timestamptz not null default now(),
  check ((state = 'draft') = (version is null))
);

create table rappel.workflow_version (
  workflow bigint not null references rappel.workflow (id) on delete cascade,
  version int not null,
  document json not null,
  live_at timestamptz not null,
  by bigint references rappel.person (id) on delete set null,
  primary key (workflow, version)
);

-- A stretch in which one version was live or paused. A change belongs to the stretch whose snapshots its transaction
-- committed between: not visible in `from_snapshot`, and visible in `to_snapshot` where there is one.
create table rappel.stretch (
  id bigint generated always as identity primary key,
  workflow bigint not null references rappel.workflow (id) on delete cascade,
  version int not null,
  state text not null check (state in ('live', 'paused')),
  from_snapshot pg_snapshot not null,
  to_snapshot pg_snapshot,
  from_at timestamptz not null,
  to_at timestamptz,
  check ((to_snapshot is null) = (to_at is null))
);
create unique index stretch_current on rappel.stretch (workflow) where to_snapshot is null;

create table rappel.run (
  id bigint generated always as identity primary key,
  workflow bigint not null references rappel.workflow (id) on delete cascade,
  version int not null,
  change_id bigint not null,
  tbl text not null,
  rec bigint not null,
  title text not null,
  state text not null check (state in ('done', 'failed')),
  why text not null,
  error text,
  trace jsonb not null,
  depth int not null default 0,
  changed_at timestamptz(3) not null,
  at timestamptz(3) not null,
  unique (workflow, change_id)
);
create index run_of_record on rappel.run (tbl, rec, id);
create index run_by_time on rappel.run (at desc, id desc);
create index run_of_workflow on rappel.run (workflow, id);
create index run_failed on rappel.run (id) where state = 'failed';

-- A process that delivers; it holds the advisory lock (4170, id) as long as it lives, so that others can tell.
create table rappel.worker (
  id int generated always as identity primary key,
  host text not null,
  pid int not null,
  started_at timestamptz not null default now()
);

-- One email. The row is its own place in the queue: claimed with skip locked, every exit fenced by the attempt.
create table rappel.message (
  id bigint generated always as identity primary key,
  run bigint references rappel.run (id) on delete cascade,
  workflow bigint references rappel.workflow (id) on delete cascade,
  action text not null,
  tbl text not null,
  rec bigint not null,
  message_id text not null unique,
  sender jsonb not null,
  reply_to jsonb,
  subject text not null,
  html text not null,
  body text not null,
  priority text not null default 'normal' check (priority in ('low', 'normal', 'high')),
  state text not null default 'queued' check (state in ('queued', 'held', 'sending', 'sent', 'failed', 'cancelled')),
  attempt int not null default 0,
  next_at timestamptz not null,
  worker int,
  last_reply text,
  changed_at timestamptz(3) not null,
  created_at timestamptz(3) not null,
  finished_at timestamptz(3),
  check ((state = 'sending') = (worker is not null))
);
create index message_due on rappel.message (next_at, id) where state = 'queued';
create index message_sending on rappel.message (worker) where state = 'sending';
create index message_failed on rappel.message (id) where state = 'failed';
create index message_of_run on rappel.message (run);
create index message_of_record on rappel.message (tbl, rec, id);
create index message_by_time on rappel.message (created_at desc);

-- State is kept per recipient: one refused address does not stop the others.
create table rappel.message_recipient (
  message bigint not null references rappel.message (id) on delete cascade,
  position int not null,
  part text not null check (part in ('to', 'cc', 'bcc')),
  address text not null,
  name text,
  state text not null default 'open' check (state in ('open', 'sent', 'failed')),
  reply text,
  primary key (message, position)
);
create index message_recipient_address on rappel.message_recipient (lower(address), message);

create table rappel.delivery_attempt (
  message bigint not null references rappel.message (id) on delete cascade,
  attempt int not null,
  at timestamptz(3) not null,
  milliseconds int not null,
  outcome text not null check (outcome in ('sent', 'partly', 'deferred', 'refused', 'lost')),
  reply text not null,
  primary key (message, attempt)
);

create table rappel.suppression (
  address text primary key check (address = lower(address)),
  reason text not null,
  at timestamptz not null default now()
);

-- How the mail server answered last, for Today and the health call.
create table rappel.mail_state (
  single boolean primary key default true check (single),
  ok boolean,
  since timestamptz,
  reply text
);
insert into rappel.mail_state default values;
