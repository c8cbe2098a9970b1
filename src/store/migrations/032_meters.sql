-- What processes measure of themselves: the last of each in full, for whoever collects it, and a line now and then, for pictures of the last days.
create table rappel.meter (
  process text primary key,
  at timestamptz(3) not null,
  metrics jsonb not null
);
create table rappel.sample (
  at timestamptz(3) not null,
  process text not null,
  part text not null,
  data jsonb not null
);
create index sample_at on rappel.sample (at);

-- The trace that a save belongs to (W3C Trace Context), and that its mail belongs to then.
alter table rappel.message add column trace text;
