-- Whom to tell by mail when something is wrong, and what failed that they are still to be told of: a row for each, taken off in the transaction that queues that mail.
create table rappel.told (person bigint primary key references rappel.person (id) on delete cascade);

create table rappel.trouble (
  id bigint generated always as identity primary key,
  workflow bigint references rappel.workflow (id) on delete cascade,
  run bigint,
  message bigint,
  at timestamptz(3) not null default clock_timestamp(),
  check (num_nonnulls(run, message) = 1)
);

-- When they were told last, and what of that stands still, each as a sum of what it is known by.
create table rappel.trouble_told (
  is_only boolean primary key default true check (is_only),
  at timestamptz(3),
  standing text[] not null default '{}'
);
insert into rappel.trouble_told default values;

create function rappel.note_trouble() returns trigger language plpgsql as $$
begin
  if tg_table_name = 'run' then insert into rappel.trouble (workflow, run) values (new.workflow, new.id);
  else insert into rappel.trouble (workflow, message) values (new.workflow, new.id);
  end if;
  return null;
end
$$;

-- A run of a trial is seen by whoever tries; word of trouble that could not be delivered is no news for those it was for.
create trigger run_fails after insert on rappel.run for each row when (new.state = 'failed' and new.trial is null) execute function rappel.note_trouble();
create trigger run_failed after update of state on rappel.run for each row
  when (new.state = 'failed' and old.state <> 'failed' and new.trial is null) execute function rappel.note_trouble();
create trigger message_failed after update of state on rappel.message for each row
  when (new.state = 'failed' and old.state <> 'failed' and new.action <> 'trouble') execute function rappel.note_trouble();
