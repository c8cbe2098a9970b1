-- How often a sign-in was tried and failed, kept by rate-limiter-flexible; its columns are that library's.
create table rappel.sign_in_attempt (
  key varchar(255) primary key,
  points integer not null default 0,
  expire bigint
);
