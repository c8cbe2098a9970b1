-- Which attached tables are not as they were looked at last, and which are held by somebody so that nothing can be read of them, as their owner does to rewrite one. Until the transaction ends owners' changes of
-- columns of the others wait for it. Nothing is waited for: what does not speak of a table that is held goes on. rappel.hold_attached() stays for the version before.
create function rappel.still_attached() returns table (tbl text, is_held boolean) language plpgsql as $$
declare
  one rappel.attached;
begin
  for one in select a.* from rappel.attached a where a.trouble is null order by a.tbl loop
    begin
      execute format('lock table %s in access share mode nowait', one.base);
    exception
      when lock_not_available then
        tbl := one.tbl;
        is_held := true;
        return next;
        continue;
      when undefined_table or syntax_error or insufficient_privilege then
        tbl := one.tbl;
        is_held := false;
        return next;
        continue;
    end;
    if one.shape is distinct from rappel.shape_of(one.base) then
      tbl := one.tbl;
      is_held := false;
      return next;
    end if;
  end loop;
end
$$;
