-- Live workflows that cannot do what they say any more, since something that they name was changed or taken away; found by going through all of them whenever anything of the kind changes.
create table rappel.broken (
  workflow bigint primary key references rappel.workflow (id) on delete cascade,
  problems text[] not null,
  since timestamptz(3) not null
);
