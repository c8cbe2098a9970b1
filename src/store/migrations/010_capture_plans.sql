-- Capture's statements are planned once a session and for updates of any size: after a few bulk updates, a session went on planning anew at every
-- single-row update, or set up a hash table of the size of its last bulk update. The rows before and after are joined in the order of their keys.
do $$
begin
  execute replace(pg_get_functiondef('rappel.attach_capture(text)'::regprocedure), 'set search_path = pg_catalog, pg_temp as $capture$',
                  'set search_path = pg_catalog, pg_temp set plan_cache_mode = force_generic_plan set enable_hashjoin = off as $capture$');
end
$$;
select rappel.attach_capture(name) from rappel.table_def;
