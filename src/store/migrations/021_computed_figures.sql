-- Figures that are worked out from others, and what is left of figures past the log's retention.

-- The figures that one looks at: those of its formula, and those that its thresholds are at.
alter table rappel.figure add column behind text[] not null default '{}';

-- Hour by hour, what groups had come to, where the log no longer reaches: their value at the hour's end, and the lowest and highest in it.
create table rappel.figure_hour (
  figure bigint not null references rappel.figure (id) on delete cascade,
  grp jsonb not null,
  hour timestamptz not null,
  value numeric,
  low numeric,
  high numeric,
  primary key (figure, grp, hour)
);

-- Who made, changed and removed figures. Moves of them are no changes of what they are.
create trigger audited after insert or delete or update of definition on rappel.figure
  for each row execute function rappel.audited('figure', 'name', 'id tbl basis seen days moved_at fault version behind', '');
