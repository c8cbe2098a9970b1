-- The log of a table that is new was given the four months before, in which nothing can have been written to it, and each table's log was looked at for the sake of one. It is given this month and the
-- next; later ones are made each night for all of them, and what a clock that is set back writes goes into its default partition.
create function rappel.ready_log(of_table text) returns void language plpgsql as $$
declare
  stem text := 'log_' || (select number from rappel.log_of where tbl = of_table);
  this_month timestamp := date_trunc('month', now() at time zone 'UTC');
  month timestamp;
begin
  foreach month in array array[this_month, this_month + interval '1 month'] loop
    continue when to_regclass(format('rappel.%I', stem || '_' || to_char(month, 'YYYY_MM'))) is not null;
    execute format('create table rappel.%I partition of %s for values from (%L) to (%L)', stem || '_' || to_char(month, 'YYYY_MM'), rappel.log_name(of_table), month at time zone 'UTC',
      (month + interval '1 month') at time zone 'UTC');
  end loop;
end
$$;

create or replace function rappel.set_triggers(of_table text) returns void language plpgsql as $$
declare
  one record;
begin
  for one in select w.part, w.trigger from rappel.wanted_triggers(of_table) w
              where not exists (select from pg_trigger t where t.tgrelid = w.part and t.tgname = w.trigger) loop
    execute format('create or replace trigger %I %s on %s %s for each statement execute function rappel.%I()', one.trigger,
      case one.trigger when 'rappel_capture_insert' then 'after insert' when 'rappel_capture_update' then 'after update' when 'rappel_capture_delete' then 'after delete' else 'before truncate' end,
      one.part,
      case one.trigger when 'rappel_capture_insert' then 'referencing new table as new_rows' when 'rappel_capture_update' then 'referencing old table as old_rows new table as new_rows'
                       when 'rappel_capture_delete' then 'referencing old table as old_rows' else '' end, 'capture_' || of_table);
    if one.trigger = 'rappel_capture_insert' then
      perform rappel.ready_log(of_table);
    end if;
  end loop;
end
$$;
