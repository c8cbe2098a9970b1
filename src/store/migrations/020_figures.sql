-- Figures: numbers worked out over a table's records, kept up from the log.
create table rappel.figure (
  id bigint generated always as identity primary key,
  name text not null unique check (name ~ '^[a-z][a-z0-9_]{0,58}$'),
  tbl text not null references rappel.table_def (name) on delete cascade,
  definition json not null,
  -- What a change of it makes all that is worked out anew: everything but its words and thresholds.
  basis text not null,
  -- What is in it: the changes of all transactions that this snapshot sees.
  seen pg_snapshot not null,
  -- The days that its window took in when it was last moved; null where it has none.
  days daterange,
  moved_at timestamptz(3) not null,
  -- Why it cannot be moved any more, as where its table has lost a column.
  fault text,
  version int not null default 1,
  created_at timestamptz not null default now()
);
create index figure_of_table on rappel.figure (tbl);

-- What a figure is put together from: for each group (JSON: the value, null for blank and where there are no groups), day of the window and, where values are told apart, value, how many
-- records count and their sum.
create table rappel.figure_part (
  figure bigint not null references rappel.figure (id) on delete cascade,
  grp jsonb not null,
  day date not null,
  val jsonb not null,
  n bigint not null,
  total numeric not null,
  primary key (figure, grp, day, val)
) with (fillfactor = 80);
create index figure_part_of_day on rappel.figure_part (figure, day);

-- The value of each group, and on which side of each threshold it is.
create table rappel.figure_value (
  figure bigint not null references rappel.figure (id) on delete cascade,
  grp jsonb not null,
  n bigint not null,
  total numeric not null,
  value numeric,
  sides jsonb not null default '{}',
  moved_at timestamptz(3) not null,
  primary key (figure, grp)
) with (fillfactor = 80);

-- A figure's value that passed a threshold. `change_id` is the last change of the transaction that moved it; null where the clock did.
create table rappel.crossing (
  id bigint generated always as identity primary key,
  figure bigint not null references rappel.figure (id) on delete cascade,
  threshold text not null,
  line numeric not null,
  grp jsonb not null,
  before numeric,
  value numeric,
  n bigint not null,
  at timestamptz(3) not null,
  change_id bigint,
  xid xid8,
  by jsonb not null,
  run bigint,
  depth int not null default 0
);
create index crossing_of_figure on rappel.crossing (figure, id);

-- What the nightly check put right: how many parts of a figure were not what its table said.
create table rappel.figure_drift (
  id bigint generated always as identity primary key,
  figure bigint not null references rappel.figure (id) on delete cascade,
  at timestamptz not null,
  differing bigint not null
);
create index figure_drift_by_time on rappel.figure_drift (at);
