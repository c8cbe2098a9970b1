-- What sets a workflow off is an occasion: a change, a stay, a tick, a press. Each has a key that is unique for its workflow (and trial); a run may be about no
-- record, and its mail too.
alter table rappel.run
  add column kind text not null default 'change',
  add column key text,
  -- What is known of an occasion that is no change, so that it can be worked out again; null for a change, which the log has.
  add column occasion jsonb,
  alter column change_id drop not null,
  alter column rec drop not null;
update rappel.run set key = change_id::text;
alter table rappel.run alter column key set not null, add constraint run_change_check check (kind <> 'change' or change_id is not null);
drop index rappel.run_once;
create unique index run_once on rappel.run (workflow, key, coalesce(trial, 0));
create index run_of_occasion on rappel.run (kind, id) where kind <> 'change';

alter table rappel.message alter column tbl drop not null, alter column rec drop not null;
alter table rappel.notice alter column tbl drop not null, alter column rec drop not null;

-- A message that several runs share names each of them here, and none in its own row.
create table rappel.message_run (
  message bigint not null references rappel.message (id) on delete cascade,
  run bigint not null references rappel.run (id) on delete cascade,
  primary key (message, run)
);
create index message_run_of_run on rappel.message_run (run);
create view rappel.run_message as
  select id as message, run from rappel.message where run is not null union all select message, run from rappel.message_run;

-- Conditions that became true and are to hold until `due_at`. A row that is over keeps how it ended.
create table rappel.stay (
  id bigint generated always as identity primary key,
  workflow bigint not null references rappel.workflow (id) on delete cascade,
  version int not null,
  trial bigint references rappel.trial (id) on delete cascade,
  key text not null,
  -- The change that they became true at; null where the record fitted already when the workflow went live.
  change_id bigint,
  tbl text not null,
  rec bigint not null,
  title text not null,
  by jsonb not null,
  since timestamptz(3) not null,
  due_at timestamptz(3) not null,
  shard smallint not null,
  outcome text check (outcome in ('fired', 'broken', 'did not fit', 'called off', 'passed by')),
  ended_at timestamptz(3),
  -- The change that broke it, and who called it off.
  ended_by bigint,
  person bigint references rappel.person (id) on delete set null,
  check ((outcome is null) = (ended_at is null))
);
create unique index stay_once on rappel.stay (workflow, key, coalesce(trial, 0));
create index stay_due on rappel.stay (due_at, shard) where outcome is null;
create index stay_open on rappel.stay (tbl, rec) where outcome is null;
create index stay_of_record on rappel.stay (tbl, rec, id);
create index stay_of_workflow on rappel.stay (workflow, id);

-- A timetable that is live: up to when its moments are done with, when the next comes, and when it looked last at what fits.
create table rappel.timetable (
  workflow bigint primary key references rappel.workflow (id) on delete cascade,
  version int not null,
  looked_at timestamptz(3) not null,
  done_until timestamptz(3) not null,
  next_at timestamptz(3)
);
create index timetable_next on rappel.timetable (next_at);

-- A moment of a timetable, gone through page by page; `cursor` is the last record or owner that was done.
create table rappel.tick (
  id bigint generated always as identity primary key,
  workflow bigint not null references rappel.workflow (id) on delete cascade,
  version int not null,
  at timestamptz(3) not null,
  -- When the one before looked: what is noted as fitting then fitted before.
  before_at timestamptz(3) not null,
  late boolean not null,
  -- Whether what fits is run; else it is only noted as fitting, or begins to wait: the look at going live.
  fires boolean not null default true,
  cursor bigint not null default 0,
  fitted int not null default 0,
  fired int not null default 0,
  ownerless int not null default 0,
  started_at timestamptz(3) not null,
  done_at timestamptz(3),
  unique (workflow, at)
);
create index tick_open on rappel.tick (at) where done_at is null;

-- Which records fitted when a timetable looked last.
create table rappel.fitted (
  workflow bigint not null references rappel.workflow (id) on delete cascade,
  version int not null,
  rec bigint not null,
  looked_at timestamptz(3) not null,
  primary key (workflow, version, rec)
) with (fillfactor = 80);

-- A use of a workflow by hand; the id is made by whoever presses, so that the same press that comes twice runs once.
create table rappel.press (
  id uuid primary key,
  workflow bigint not null references rappel.workflow (id) on delete cascade,
  version int not null,
  by jsonb not null,
  person bigint references rappel.person (id) on delete set null,
  asked jsonb not null,
  records bigint[] not null,
  at timestamptz(3) not null
);
create index press_of_workflow on rappel.press (workflow, at desc);
