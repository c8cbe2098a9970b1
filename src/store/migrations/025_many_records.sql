-- Many records written at once: an import, a mass edit, a mass deletion, each one transaction. Its changes are those of its transaction between two ids of the log.
create table rappel.bulk (
  id bigint generated always as identity primary key,
  tbl text not null,
  kind text not null check (kind in ('import', 'edit', 'delete')),
  -- What it is called: the file's name, or what was edited.
  name text not null,
  by jsonb not null,
  -- Workflows let its changes pass by; they can be run for them later.
  quiet boolean not null,
  at timestamptz(3) not null,
  xid xid8 not null default pg_current_xact_id(),
  first_change bigint not null,
  last_change bigint not null,
  created int not null,
  changed int not null,
  unchanged int not null,
  deleted int not null,
  refused int not null
);
create index bulk_of_table on rappel.bulk (tbl, id);
create index bulk_quiet on rappel.bulk (id) where quiet;

-- Quiet writes that a workflow was run for after all.
create table rappel.bulk_caught_up (
  workflow bigint not null references rappel.workflow (id) on delete cascade,
  bulk bigint not null references rappel.bulk (id) on delete cascade,
  primary key (workflow, bulk)
);

create trigger audited after insert on rappel.bulk for each row execute function rappel.audited('many records', 'name', 'id at xid first_change last_change by', '');

-- Runs come about in the order of their changes, nearly: a summary of each stretch finds those of many changes, and costs a run next to nothing.
create index run_by_change on rappel.run using brin (change_id) with (pages_per_range = 16, autosummarize = on);
