-- Files of the library and of fields that mail written from a template carries: [{ file } or { field }].
alter table rappel.template add column attachments jsonb not null default '[]';
