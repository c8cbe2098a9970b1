-- What is written to an attached table runs its program's triggers, whose functions may name tables without a schema: they find them where any session of Rappel's role would look in this
-- database, though Rappel's own look nowhere. It stays so until the transaction ends, when triggers that are deferred run.
create function rappel.their_path() returns text language sql stable as $$
  select coalesce((select substr(c, 13) from pg_db_role_setting s cross join unnest(s.setconfig) c
                    where c like 'search\_path=%' and translate(c, '" ', '') <> 'search_path=pg_catalog,pg_temp' -- which behind a pooler is set for Rappel's role
                      and s.setdatabase in (0, (select d.oid from pg_database d where d.datname = current_database()))
                      and s.setrole in (0, (select r.oid from pg_roles r where r.rolname = session_user))
                    order by s.setrole <> 0 and s.setdatabase <> 0 desc, s.setrole <> 0 desc, s.setdatabase <> 0 desc limit 1),
                  (select p.boot_val from pg_settings p where p.name = 'search_path'))
$$;

select rappel.mend('rappel.write_attached()', E'\nbegin\n', E'\nbegin
  if replace(current_setting(''search_path''), '' '', '''') = ''pg_catalog,pg_temp'' then
    perform set_config(''search_path'', rappel.their_path(), true);
  end if;\n');
drop function rappel.mend;
