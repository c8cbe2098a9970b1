-- The contents of files are kept once each, whatever files have them; a content goes by its SHA-256.
create table rappel.file_content (
  hash bytea primary key check (octet_length(hash) = 32),
  content bytea not null,
  size int not null generated always as (octet_length(content)) stored
);
insert into rappel.file_content (hash, content) select distinct on (sha256(content)) sha256(content), content from rappel.file;
alter table rappel.file add column hash bytea references rappel.file_content (hash), add column bytes int;
update rappel.file set hash = sha256(content), bytes = size;
alter table rappel.file drop column size, drop column content;
alter table rappel.file rename column bytes to size;
alter table rappel.file alter column hash set not null, alter column size set not null;

-- The most bytes of a message that the mail server says it takes (RFC 1870); null where it does not say.
alter table rappel.mail_state add column most_bytes bigint;
