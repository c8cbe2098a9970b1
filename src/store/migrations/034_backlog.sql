-- A long backlog is drained in whole batches. What one transaction did to a record is found by its transaction, and a stretch of few changes is put into single ones, which are then
-- taken together with those before and after it.
create index queue_of_transaction on rappel.queue (shard, xid);
do $$
begin
  execute replace(
    pg_get_functiondef('rappel.claim_queue(int, int)'::regprocedure),
    'if not exists (select from rappel.queue q where q.shard = of_shard and q.xid = head.xid',
    'if (head.last - head.change_id) / 16 >= most / 4 and not exists (select from rappel.queue q where q.shard = of_shard and q.xid = head.xid');
end $$;
