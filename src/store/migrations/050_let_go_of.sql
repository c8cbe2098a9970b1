-- What is kept is let go of: what texts and JSON say of somebody who is erased, files that nothing speaks of any more, and waits that have been over for long. And texts are cut no more.

-- A text without what it says of somebody: each pattern is replaced by what stands at its place in `instead`.
create function rappel.without_mentions(said text, patterns text[], instead text[]) returns text language plpgsql immutable parallel safe as $$
declare
  left_of_it text := said;
begin
  for i in 1 .. cardinality(patterns) loop
    left_of_it := regexp_replace(left_of_it, patterns[i], instead[i], 'g');
  end loop;
  return left_of_it;
end
$$;

-- JSON without what its texts say of somebody; names within it stay.
create function rappel.without_mentions(said jsonb, patterns text[], instead text[]) returns jsonb language plpgsql immutable parallel safe as $$
begin
  return case jsonb_typeof(said)
    when 'string' then to_jsonb(rappel.without_mentions(said #>> '{}', patterns, instead))
    when 'array' then (select coalesce(jsonb_agg(rappel.without_mentions(v, patterns, instead) order by i), '[]') from jsonb_array_elements(said) with ordinality a (v, i))
    when 'object' then (select coalesce(jsonb_object_agg(k, rappel.without_mentions(v, patterns, instead)), '{}') from jsonb_each(said) o (k, v))
    else said end;
end
$$;

-- Takes what lines of the audit log say of somebody out of them, and a person's name out of the lines of what they did; a line that fits none of `near` holds none of it.
create function rappel.erase_from_audit(near text[], patterns text[], instead text[], who bigint) returns int language plpgsql as $$
declare
  lines int;
begin
  perform set_config('rappel.erasing', 'yes', true);
  update rappel.audit a set details = n.details, subject = n.subject, by = n.by
    from (select id, rappel.without_mentions(details, patterns, instead) as details, rappel.without_mentions(subject, patterns, instead) as subject,
                 case when (by ->> 'person')::bigint = who then by || '{"name": "Erased"}' else by end as by
            from rappel.audit where details::text ~ any (near) or subject ~ any (near) or (by ->> 'person')::bigint = who) n
   where a.id = n.id and (a.details is distinct from n.details or a.subject is distinct from n.subject or a.by is distinct from n.by);
  get diagnostics lines = row_count;
  perform set_config('rappel.erasing', '', true);
  perform rappel.note('erased what is kept of somebody', 'somebody', jsonb_build_object('lines', lines));
  return lines;
end
$$;

-- Since when nothing speaks of a file any more.
alter table rappel.file add column unused_since timestamptz(3);

create index stay_over on rappel.stay (ended_at) where ended_at is not null;

-- What is written to an attached table is put into the types of its columns by assignment, which refuses texts that are too long: a cast to a type with a length cuts them (SQL, <cast specification>).
create function rappel.mend(of_function regprocedure, was text, becomes text) returns void language plpgsql as $$
declare
  source text := pg_get_functiondef(of_function);
begin
  if position(was in source) = 0 then
    raise exception '% does not contain %', of_function, was;
  end if;
  execute replace(source, was, becomes);
end
$$;
select rappel.mend('rappel.write_attached()', 'format_type(a.atttypid, a.atttypmod)', 'format_type(rappel.plain_type(a.atttypid), -1)');
