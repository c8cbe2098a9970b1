-- What is held is looked for workflow by workflow, so that what a paused one keeps is never walked over.
drop index rappel.message_held;
create index message_held on rappel.message (workflow, held_for, held_until, id) where state = 'held';
drop index rappel.notice_held;
create index notice_held on rappel.notice (workflow, held_until, id) where state = 'held';

-- What passed is noted for each change that fires: a reference would look the workflow up each time. What is left of a workflow that is gone is forgotten with what is too old.
alter table rappel.passed drop constraint passed_workflow_fkey;
alter table rappel.passed_on drop constraint passed_on_workflow_fkey;
alter table rappel.passed alter column key type text collate "C";
