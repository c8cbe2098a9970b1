-- The trace of a call (W3C Trace Context) is another each time; among who makes changes it made a row of each call, which were kept for good. It stands by the transaction, as long as
-- anything may still be decided about it.
create table rappel.traced (
  xid xid8 primary key,
  trace text not null,
  at timestamptz not null default now()
);

-- Notes the trace of a writer, where it has one; answers the writer without it.
create function rappel.without_trace(this_xid xid8, who text) returns text language plpgsql as $$
begin
  insert into rappel.traced (xid, trace) select this_xid, who::jsonb ->> 'trace' where who::jsonb ->> 'trace' is not null on conflict do nothing;
  return (who::jsonb - 'trace')::text;
end
$$;

select rappel.mend('rappel.attach_capture(text)', E'  if has_nested or pg_trigger_depth() > 1 then\n    own_from', E'  if left(this_by, 1) = ''{'' and position(''"trace"'' in this_by) > 0 then
    this_by := rappel.without_trace(this_xid, this_by);
  end if;\n  if has_nested or pg_trigger_depth() > 1 then\n    own_from');

select rappel.attach_capture(name) from rappel.table_def where name not in (select tbl from rappel.attached) order by position;

-- Other programs' tables are not waited for: those that are busy, or on which Rappel may not set triggers at present, are followed later.
do $$
declare
  one text;
begin
  for one in select tbl from rappel.attached order by tbl loop
    begin
      perform rappel.attach_capture(one);
    exception when others then
      null;
    end;
  end loop;
end
$$;
