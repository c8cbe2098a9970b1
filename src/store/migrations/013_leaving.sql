-- Whoever leaves, by whatever way, is signed out and their tokens end for good; and there is always an administrator who can sign in.
create function rappel.person_leaves() returns trigger language plpgsql set search_path = pg_catalog, pg_temp as $$
declare
  leaves boolean := tg_op = 'DELETE' or not new.active;
begin
  if old.active and leaves then
    delete from rappel.session where person = old.id;
    update rappel.api_token set revoked_at = now() where person = old.id and revoked_at is null;
  end if;
  if old.active and old.role = 'administrator' and old.password_hash is not null and (leaves or new.role is distinct from 'administrator') then
    perform pg_advisory_xact_lock(4174); -- two who demote each other at once wait for one another
    if not exists (select from rappel.person where id <> old.id and active and role = 'administrator' and password_hash is not null) then
      raise exception using errcode = 'RP001', message = 'This is the last administrator who can sign in. Make somebody else one first.';
    end if;
  end if;
  return null;
end
$$;
create trigger person_leaves after update or delete on rappel.person for each row execute function rappel.person_leaves();
