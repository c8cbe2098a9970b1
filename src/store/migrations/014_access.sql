-- A session knows what it was opened with and when it was used last, so that its owner can tell sessions apart and idle ones end.
alter table rappel.session
  add column id bigint generated always as identity unique,
  add column last_seen_at timestamptz not null default now(),
  -- When its owner last proved who they are: by signing in, or by giving the password again.
  add column proved_at timestamptz not null default now(),
  add column way text not null default 'password' check (way in ('password', 'link', 'openid')),
  add column agent text,
  add column caller text;
create index session_of_person on rappel.session (person);

-- An invitation, or a way to choose a new password; the mail's link carries the id, signed, and counts once. Or word that a password was changed, which has no link.
create table rappel.account_link (
  id bigint generated always as identity primary key,
  person bigint not null references rappel.person (id) on delete cascade,
  purpose text not null check (purpose in ('invitation', 'reset', 'changed')),
  by bigint references rappel.person (id) on delete set null,
  created_at timestamptz not null default now(),
  expires_at timestamptz not null,
  used_at timestamptz,
  -- Its mail: when to try next, null once it is with the mail server or given up.
  mail_due_at timestamptz default now(),
  mail_attempt int not null default 0,
  mail_sent_at timestamptz,
  mail_reply text
);
create index account_link_due on rappel.account_link (mail_due_at) where mail_due_at is not null;
create index account_link_of_person on rappel.account_link (person, purpose);

-- Who did what to people, roles, tokens, settings, workflows, templates and tables, and who signed in or failed to. It is only added to.
create table rappel.audit (
  id bigint generated always as identity primary key,
  at timestamptz(3) not null default clock_timestamp(),
  by jsonb not null,
  -- The network address that the call came from; null for what did not come by a call.
  caller text,
  what text not null,
  subject text not null,
  details jsonb not null
);
create index audit_by_time on rappel.audit (at);
create index audit_by_deed on rappel.audit (what);

create function rappel.audit_stands() returns trigger language plpgsql as $$
begin
  raise exception 'The audit log is only added to.';
end
$$;
create trigger audit_stands before update or delete or truncate on rappel.audit for each statement execute function rappel.audit_stands();

/* Notes a deed, in the name of whoever the transaction is done for. */
create function rappel.note(what text, subject text, details jsonb) returns void language sql as $$
  insert into rappel.audit (by, caller, what, subject, details)
  values (coalesce(nullif(current_setting('rappel.by', true), '')::jsonb, jsonb_build_object('kind', 'system', 'person', null, 'name', session_user)),
          nullif(current_setting('rappel.caller', true), ''), what, left(subject, 300), details)
$$;

/* A value as the audit log shows it: not the hidden ones, and of long ones the beginning. */
create function rappel.audited_value(name text, value jsonb, hidden text[]) returns jsonb language sql immutable as $$
  select case when value is null or value = 'null' then 'null'::jsonb
              when name = any(hidden) then '"(not shown)"'::jsonb
              when length(value::text) > 500 then to_jsonb(left(value::text, 500) || '…')
              else value end
$$;

/* What differs between two images, field by field, as { field: { from, to } }. */
create function rappel.audited_differences(old_image jsonb, new_image jsonb, ignored text[], hidden text[]) returns jsonb language sql immutable as $$
  select coalesce(jsonb_object_agg(name, jsonb_build_object('from', rappel.audited_value(name, old_image -> name, hidden), 'to', rappel.audited_value(name, new_image -> name, hidden))), '{}')
    from (select jsonb_object_keys(old_image || new_image) as name) names
   where name <> all(ignored) and old_image -> name is distinct from new_image -> name
$$;

/* Notes that a thing was made, changed or removed. Arguments: what the thing is called, the field it goes by, fields that do not count, fields that are not shown. */
create function rappel.audited() returns trigger language plpgsql as $$
declare
  thing text := tg_argv[0];
  ignored text[] := string_to_array(tg_argv[2], ' ') || '{created_at,updated_at}'::text[];
  hidden text[] := string_to_array(tg_argv[3], ' ');
  old_image jsonb := case when tg_op = 'INSERT' then '{}'::jsonb else to_jsonb(old) end;
  new_image jsonb := case when tg_op = 'DELETE' then '{}'::jsonb else to_jsonb(new) end;
  differences jsonb := rappel.audited_differences(jsonb_strip_nulls(old_image), jsonb_strip_nulls(new_image), ignored, hidden);
  subject text := coalesce(case when tg_op = 'DELETE' then old_image else new_image end ->> tg_argv[1], '');
begin
  if tg_op = 'UPDATE' and differences = '{}' then
    return null;
  end if;
  perform rappel.note(thing || case tg_op when 'INSERT' then ' made' when 'UPDATE' then case thing when 'token' then ' ended' else ' changed' end else ' removed' end, subject, differences);
  return null;
end
$$;

create trigger audited after insert or update or delete on rappel.person for each row execute function rappel.audited('person', 'email', 'id', 'password_hash');
create trigger audited after insert or update or delete on rappel.person_group for each row execute function rappel.audited('group', 'name', '', '');
create trigger audited after insert or update or delete on rappel.api_token for each row execute function rappel.audited('token', 'name', 'id token_hash last_used_at', '');
create trigger audited after insert or update or delete on rappel.template for each row execute function rappel.audited('template', 'name', 'id', '');
create trigger audited after insert or update or delete on rappel.sender for each row execute function rappel.audited('sender identity', 'name', '', '');
create trigger audited after insert or update or delete on rappel.channel for each row execute function rappel.audited('channel', 'name', '', 'secret');
create trigger audited after insert or update or delete on rappel.library_file for each row execute function rappel.audited('library file', 'name', '', '');
create trigger audited after delete on rappel.suppression for each row execute function rappel.audited('suppression', 'address', '', '');
create trigger audited after insert or update or delete on rappel.table_def for each row execute function rappel.audited('table', 'name', 'position', '');
create trigger audited after insert or update or delete on rappel.field_def for each row execute function rappel.audited('field', 'name', 'position', '');

create function rappel.audited_member() returns trigger language plpgsql as $$
declare
  row rappel.group_member := case when tg_op = 'DELETE' then old else new end;
begin
  perform rappel.note('group changed', row.group_name, jsonb_build_object(case tg_op when 'DELETE' then 'taken out' else 'put in' end,
    coalesce((select email from rappel.person where id = row.person), row.person::text)));
  return null;
end
$$;
create trigger audited after insert or delete on rappel.group_member for each row execute function rappel.audited_member();

create function rappel.audited_setting() returns trigger language plpgsql as $$
declare
  hidden constant text[] := '{clientSecret,password,value}';
  image_of_old jsonb := case when tg_op = 'INSERT' then '{}'::jsonb when jsonb_typeof(old.value) = 'object' then old.value else jsonb_build_object('value', old.value) end;
  image_of_new jsonb := case when tg_op = 'DELETE' then '{}'::jsonb when jsonb_typeof(new.value) = 'object' then new.value else jsonb_build_object('value', new.value) end;
  differences jsonb := rappel.audited_differences(image_of_old, image_of_new, '{}', hidden);
begin
  if differences <> '{}' then
    perform rappel.note('settings changed', case when tg_op = 'DELETE' then old.key else new.key end, differences);
  end if;
  return null;
end
$$;
create trigger audited after insert or update or delete on rappel.setting for each row execute function rappel.audited_setting();

create function rappel.audited_workflow() returns trigger language plpgsql as $$
begin
  if tg_op = 'INSERT' then
    perform rappel.note('workflow made', new.name, '{}');
  elsif tg_op = 'DELETE' then
    perform rappel.note('workflow removed', old.name, jsonb_build_object('state', old.state, 'version', old.version));
  else
    if old.name <> new.name then
      perform rappel.note('workflow renamed', new.name, jsonb_build_object('name', jsonb_build_object('from', old.name, 'to', new.name)));
    end if;
    if old.version is distinct from new.version then
      perform rappel.note('workflow put live', new.name, jsonb_build_object('version', jsonb_build_object('from', old.version, 'to', new.version)));
    elsif old.state <> new.state then
      perform rappel.note(case new.state when 'paused' then 'workflow paused' else 'workflow resumed' end, new.name, jsonb_build_object('version', new.version));
    end if;
  end if;
  return null;
end
$$;
create trigger audited after insert or delete or update of name, state, version on rappel.workflow for each row execute function rappel.audited_workflow();
