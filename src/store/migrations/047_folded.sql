-- Texts are alike whatever the case of their letters, as Unicode has it (section 3.13 "Default Case Algorithms") and the core does. lower() goes by the locale that a database was made with: in
-- Turkish the small letter of I has no dot, and the locale C knows the letters of ASCII alone.
create function rappel.folded(text) returns text language sql immutable parallel safe as $$ select pg_catalog.lower($1) $$;

-- Has texts folded as they are to be, whatever the locale, and what is indexed by that with them; whether that was otherwise. To be called wherever the database may be another one.
create function rappel.set_folding() returns boolean language plpgsql as $$
declare
  body text := case when lower('IÄÉŽΔЖ') = 'iäéžδж' then ' select pg_catalog.lower($1) ' else ' select pg_catalog.lower($1 collate "und-x-icu") ' end;
  one record;
begin
  if body = (select p.prosrc from pg_proc p where p.oid = 'rappel.folded(text)'::regprocedure) then
    return false;
  end if;
  execute format('create or replace function rappel.folded(text) returns text language sql immutable parallel safe as %L', body);
  for one in select format('%I.%I', n.nspname, c.relname) as name, pg_get_indexdef(c.oid) as def
               from pg_index i join pg_class c on c.oid = i.indexrelid join pg_namespace n on n.oid = c.relnamespace
              where n.nspname in ('rappel', 'data') and pg_get_indexdef(c.oid) ~ '\m(lower|folded)\(' loop
    begin
      execute 'drop index ' || one.name;
      execute regexp_replace(one.def, '\mlower\(', 'rappel.folded(', 'g');
    exception when unique_violation then
      raise warning '% stays as it is: some of its texts are alike now.', one.name;
    end;
  end loop;
  return true;
end
$$;
select rappel.set_folding();
