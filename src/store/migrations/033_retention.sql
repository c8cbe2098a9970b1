-- When the texts of a message were let go of; the message itself stays.
alter table rappel.message add column emptied_at timestamptz(3);
create index message_to_empty on rappel.message (created_at) where emptied_at is null;

-- The audit log is only added to, but for what is erased of somebody on request: a text is taken out of its lines, the lines stay, and it notes that this was done.
create or replace function rappel.audit_stands() returns trigger language plpgsql as $$
begin
  if tg_op = 'UPDATE' and current_setting('rappel.erasing', true) = 'yes' then
    return null;
  end if;
  raise exception 'The audit log is only added to.';
end
$$;
create function rappel.erase_from_audit(patterns text[]) returns int language plpgsql as $$
declare
  pattern text;
  lines int := 0;
  touched int;
begin
  perform set_config('rappel.erasing', 'yes', true);
  foreach pattern in array patterns loop
    update rappel.audit set details = regexp_replace(details::text, pattern, 'Erased', 'gi')::jsonb, subject = regexp_replace(subject, pattern, 'Erased', 'gi'),
           by = regexp_replace(by::text, pattern, 'Erased', 'gi')::jsonb
     where details::text ~* pattern or subject ~* pattern or by::text ~* pattern;
    get diagnostics touched = row_count;
    lines := lines + touched;
  end loop;
  perform set_config('rappel.erasing', '', true);
  perform rappel.note('erased what is kept of somebody', 'somebody', jsonb_build_object('lines', lines));
  return lines;
end $$;
