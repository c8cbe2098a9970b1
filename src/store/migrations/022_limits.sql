-- Limits: what holds mail and notices back, and until when.

-- Why a message is held, and until when; what a cap holds has no end of its own. `digest_row` is what a digest says of it.
alter table rappel.message add column held_for text check (held_for in ('quiet', 'digest', 'cap')), add column held_until timestamptz(3), add column digest_row jsonb;
-- What a message belongs together with, where that is not a record.
alter table rappel.message add column thread text;
alter table rappel.message drop constraint message_state_check;
alter table rappel.message add constraint message_state_check check (state in ('queued', 'held', 'sending', 'sent', 'failed', 'cancelled', 'gathered'));
alter table rappel.message add constraint message_held check (state <> 'held' or held_for is not null);
create index message_held on rappel.message (held_until, id) where state = 'held';

-- The digest that a recipient got a message in.
alter table rappel.message_recipient drop constraint message_recipient_state_check;
alter table rappel.message_recipient add constraint message_recipient_state_check check (state in ('open', 'sent', 'failed', 'gathered'));
alter table rappel.message_recipient add column digest bigint references rappel.message (id) on delete set null;
create index message_recipient_digest on rappel.message_recipient (digest) where digest is not null;

alter table rappel.notice add column held_until timestamptz(3);
alter table rappel.notice drop constraint notice_state_check;
alter table rappel.notice add constraint notice_state_check check (state in ('queued', 'held', 'sent', 'failed'));
create index notice_held on rappel.notice (held_until) where state = 'held';

-- When something passed a workflow's spacing last, and in which run (its key).
create table rappel.passed (
  workflow bigint not null references rappel.workflow (id) on delete cascade,
  key text not null,
  at timestamptz(3) not null,
  run text not null,
  primary key (workflow, key)
);

-- How many mails of a workflow passed on a day of the organisation's zone.
create table rappel.passed_on (
  workflow bigint not null references rappel.workflow (id) on delete cascade,
  day date not null,
  passed int not null,
  primary key (workflow, day)
);

-- How many mails of all workflows passed in an hour, where the organisation has a most of a day or an hour.
create table rappel.passed_in (
  hour timestamptz primary key,
  passed int not null
);
