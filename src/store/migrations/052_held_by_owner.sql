-- Which attached tables are not as they were looked at last, and which are held by somebody so that nothing can be read of them, as their owner does to rewrite one. Until the transaction ends owners' changes of
-- columns of the others wait for it. Nothing is waited for: what does not speak of a table that is held goes on. rappel.hold_attached() stays for the version before.
create function rappel.still_attached() returns table (tbl text, is_held boolean) language plpgsql as $$
declare
  one rappel.attached;
begin
  for one in select a.* from rappel.attached a where a.trouble is null order by a.tbl loop
    tbl := one.tbl;
    is_held := false;
    begin
      execute format('lock table %s in access share mode nowait', one.base);
      continue when one.shape is not distinct from rappel.shape_of(one.base);
    exception
      when lock_not_available then is_held := true;
      when undefined_table or syntax_error or insufficient_privilege then null;
    end;
    return next;
  end loop;
end
$$;
