-- Whom a notice in the application is for, a row for each, and when they had read it. Whoever writes a notice writes these: the version before, too.
create table rappel.notice_for (
  person bigint not null references rappel.person (id) on delete cascade,
  notice bigint not null references rappel.notice (id) on delete cascade,
  read_at timestamptz(3),
  primary key (person, notice)
);
create index notice_for_notice on rappel.notice_for (notice);
create index notice_unread on rappel.notice_for (person, notice) where read_at is null;

create function rappel.address_notice() returns trigger language plpgsql as $$
begin
  insert into rappel.notice_for (person, notice) select p.id, new.id from rappel.person p where p.id = any(new.people);
  return null;
end
$$;
create trigger notice_has_people after insert on rappel.notice for each row when (cardinality(new.people) > 0) execute function rappel.address_notice();

-- Those of before were never shown; what is older than a week is nobody's news.
insert into rappel.notice_for (person, notice, read_at)
select p.id, n.id, case when n.created_at < now() - interval '7 days' then n.created_at end from rappel.notice n cross join unnest(n.people) one join rappel.person p on p.id = one
on conflict do nothing;

-- For how long a channel is tried counts from the first try, or from when somebody asks for it again; what waits for one can be called off.
alter table rappel.notice add column tried_since timestamptz(3);
alter table rappel.notice drop constraint notice_state_check;
alter table rappel.notice add constraint notice_state_check check (state in ('queued', 'held', 'sent', 'failed', 'cancelled'));
create index notice_failed on rappel.notice (finished_at, id) where state = 'failed';

-- One that failed is told as runs and messages are.
alter table rappel.trouble add column notice bigint;
alter table rappel.trouble drop constraint trouble_check;
alter table rappel.trouble add constraint trouble_check check (num_nonnulls(run, message, notice) = 1);
create or replace function rappel.note_trouble() returns trigger language plpgsql as $$
begin
  if tg_table_name = 'run' then insert into rappel.trouble (workflow, run) values (new.workflow, new.id);
  elsif tg_table_name = 'notice' then insert into rappel.trouble (workflow, notice) values (new.workflow, new.id);
  else insert into rappel.trouble (workflow, message) values (new.workflow, new.id);
  end if;
  return null;
end
$$;
create trigger notice_fails after update of state on rappel.notice for each row when (new.state = 'failed' and old.state <> 'failed') execute function rappel.note_trouble();

-- What waits for a channel about one record goes one after the other.
create index notice_in_turn on rappel.notice (channel, tbl, rec, id) where state = 'queued';
