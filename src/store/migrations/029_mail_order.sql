-- The message before it, about the same record and to somebody it goes to as well, that is not done with yet.
alter table rappel.message add column behind bigint;
create index message_behind on rappel.message (behind) where behind is not null;
create index message_open_of_record on rappel.message (tbl, rec, id) where state in ('queued', 'sending');

-- What is claimed: the urgent first, then each workflow's in turn.
create index message_due_high on rappel.message (next_at, id) where state = 'queued' and behind is null and priority = 'high';
create index message_due_of_workflow on rappel.message (coalesce(workflow, 0), next_at, id) where state = 'queued' and behind is null and priority <> 'high';

-- Until when the messages that were allowed to a server have used up its rate; all who deliver keep to it together.
create table rappel.mail_pace (server text primary key, used_until timestamptz not null);

-- What a worker does, so that health can tell that nobody does it.
alter table rappel.worker add column parts text[] not null default '{changes,mail}';
