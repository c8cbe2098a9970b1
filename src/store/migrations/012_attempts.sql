-- What a worker was about to handle, noted before it begins and outside its transaction, so that whoever comes after one that died can tell:
-- where the oldest waiting change is the one noted, nothing came of the attempt.
create table rappel.attempt (
  shard smallint primary key,
  change_id bigint not null,
  tries int not null,
  at timestamptz not null default now()
);

-- A run about which nothing is decided yet: working it out takes long and goes on apart. Where it then does not fire, it is no run.
alter table rappel.run add column undecided boolean not null default false;

-- Whether it was run late on purpose: after a pause, or tried again by hand. Its mail says nothing of how quick alerts are.
alter table rappel.run add column late boolean not null default false;

-- What each part of the installation did last, so that whoever looks can tell one that stands still.
create table rappel.part (
  name text primary key,
  at timestamptz not null
);

-- Since when a message is tried: its first attempt, or the first after it was tried again by hand; the time for giving up counts from there.
alter table rappel.message add column tried_since timestamptz(3);
