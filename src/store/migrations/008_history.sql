-- What is read from history is mostly one row a change. Rows of transactions that changed one record several times count together;
-- which they are is noted when they are handled, so that nothing has to be searched for them. Until then they stand in the queue.
create table rappel.change_apart (change_id bigint primary key, tbl text not null);
create index change_apart_of_table on rappel.change_apart (tbl);
insert into rappel.change_apart (change_id, tbl)
select id, tbl from (select id, tbl, count(*) over (partition by tbl, rec, xid) as rows from rappel.change) c
 where rows > 1 and not exists (select from rappel.queue q where q.change_id = c.id);

-- The last row of a transaction is the moment that linked data is read at.
create index change_of_transaction on rappel.change (xid, id);

-- array_agg does not run in parallel workers before PostgreSQL 16; this does.
create aggregate rappel.gather (bigint) (sfunc = array_append, stype = bigint[], combinefunc = array_cat, initcond = '{}', parallel = safe);
