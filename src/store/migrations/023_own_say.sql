-- What recipients ask for themselves of a workflow: its mail gathered, or none any more.
create table rappel.own_say (
  workflow bigint not null references rappel.workflow (id) on delete cascade,
  -- In small letters.
  address text not null,
  say text not null check (say in ('digest', 'stop')),
  at timestamptz(3) not null,
  primary key (workflow, address)
);

-- Where its one recipient, somebody outside, can say stop; null where that is not offered.
alter table rappel.message add column stop_link text;

create trigger audited after insert or update or delete on rappel.own_say for each row execute function rappel.audited('own say', 'address', 'at', '');
