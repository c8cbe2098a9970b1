import type { Pool } from 'pg'

/**
 * The soak's own book: what was committed to the tables, as triggers of its own put it down in the same transaction, one line for each row, in the order in which each row changed.
 * Nothing of Rappel's has part in it.
 */
export async function keepLedger(pool: Pool): Promise<void> {
  await pool.query(`
    create schema soak;
    create table soak.line (
      n bigint generated always as identity primary key, tbl text not null, rec bigint not null, op text not null, at timestamptz not null default clock_timestamp(),
      kind text, was_stage text, stage text, was_amount numeric, amount numeric, grp text, was_note text, note text,
      late boolean not null default coalesce(current_setting('soak.late', true), '') = 'on');
    create index on soak.line (tbl, rec, n);
    create function soak.jobs() returns trigger language plpgsql as $$
    begin
      insert into soak.line (tbl, rec, op, kind, was_stage, stage, was_amount, amount, was_note, note)
      values ('jobs', coalesce(new.id, old.id), tg_op, coalesce(new.kind, old.kind), old.stage, new.stage, old.amount, new.amount, old.note, new.note);
      return null;
    end $$;
    create trigger soak after insert or update or delete on data.jobs for each row execute function soak.jobs();
    create function soak.tallies() returns trigger language plpgsql as $$
    begin
      insert into soak.line (tbl, rec, op, grp, was_amount, amount) values ('tallies', new.id, tg_op, new.grp, old.amount, new.amount);
      return null;
    end $$;
    create trigger soak after insert or update on data.tallies for each row execute function soak.tallies();
    create table soak.press (id uuid primary key, workflow text not null, rec bigint not null, answered boolean not null default false);
    create table soak.post (at bigint not null, id text not null);
    create table soak.arrival (n bigint primary key, at bigint not null, id text, address text not null, code int);
  `)
}
