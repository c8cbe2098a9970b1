-- The channel that is told what is wrong, where there is one: since when, and what it was told of that stands still. It hears of what no mail can tell: that the mail server does not answer.
alter table rappel.trouble_told
  add column channel text references rappel.channel (name) on update cascade on delete set null,
  add column channel_since timestamptz(3),
  add column channel_at timestamptz(3),
  add column channel_standing text[] not null default '{}';
