-- A member's own workflow writes to that member alone; the others are the organisation's and have no keeper.
alter table rappel.workflow add column keeper bigint references rappel.person (id) on delete cascade;
create index workflow_keeper on rappel.workflow (keeper) where keeper is not null;
