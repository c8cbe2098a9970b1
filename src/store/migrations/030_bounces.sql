-- What mail servers said of a message after they had taken it: reports of delivery that came back (RFC 3464).
create table rappel.bounce (
  id bigint generated always as identity primary key,
  message bigint not null references rappel.message (id) on delete cascade,
  address text not null,
  action text not null check (action in ('failed', 'delayed')),
  status text not null,
  diagnostic text not null,
  at timestamptz(3) not null,
  unique (message, address, action, status)
);
