-- Another program's database, as such are: names in capitals and with spaces, enumerations and domains, partitions, composite keys, checks, views, triggers of its own, keys of
-- several kinds, and columns of types that no field has. A fixture of the tests.
create schema wholesale;
create schema "Old Stock";
set search_path = wholesale;

create type order_state as enum ('draft', 'placed', 'picked', 'sent', 'returned');
create domain email_address as text check (value like '%_@_%');
create domain quantity as int check (value >= 0);
create domain rating as text check (value in ('A', 'B', 'C'));

create table region (code varchar(8) primary key, title text not null);

create table "Customer" (
  "CustomerId" serial primary key,
  "CompanyName" varchar(120) not null,
  "ContactEmail" email_address,
  "Region" varchar(8) references region (code),
  "CreditLimit" money,
  "Rating" rating,
  "Since" date default current_date,
  "IsActive" boolean not null default true,
  "Terms" varchar(20) check ("Terms" in ('net 14', 'net 30', 'prepaid')),
  "Logo" bytea,
  "Tags" text[],
  "Extra" jsonb
);

create table employee (
  id uuid primary key default gen_random_uuid(),
  full_name text not null,
  email text not null unique,
  reports_to uuid references employee (id),
  hired timestamp not null default '2020-01-01 09:00'
);

create table "order" (
  order_no bigint generated always as identity primary key,
  customer int not null references "Customer" ("CustomerId"),
  handled_by uuid references employee (id),
  state order_state not null default 'draft',
  placed_on timestamptz,
  ship_by date,
  net numeric(12, 2) not null default 0,
  discount double precision,
  gross numeric(12, 2) generated always as (net * 1.2) stored,
  note text,
  created_at timestamptz not null default now(),
  updated_at timestamptz not null default now()
);
create index on "order" (customer);

create table order_line (
  order_no bigint not null references "order" (order_no),
  line int not null,
  product text not null,
  amount quantity not null,
  primary key (order_no, line)
);
create table delivery (id serial primary key, order_no bigint not null, line int not null, at timestamptz not null default now(), foreign key (order_no, line) references order_line (order_no, line));

-- Partitioned by its key, with a default.
create table scan (id bigint not null, parcel text not null, place text, at timestamptz not null default now(), primary key (id)) partition by range (id);
create table scan_1 partition of scan for values from (0) to (1000);
create table scan_2 (at timestamptz not null default now(), id bigint not null, place text, parcel text not null);
alter table scan attach partition scan_2 for values from (1000) to (2000);
create table scan_rest partition of scan default;

-- What cannot be attached.
create table loose (word text, n int);
create table half (a numeric primary key, b text);
create table parent (id int primary key, name text);
create table child (extra text) inherits (parent);
create view big_orders as select order_no, net from "order" where net > 1000;
create materialized view totals as select customer, sum(net) as net from "order" group by customer;
create table "Old Stock"."Item No" ("Item No" text primary key, "Shelf Mark" text, "Left" quantity not null default 0);

-- Its own triggers: one that stamps, one that refuses, one that writes to another table.
create function stamp() returns trigger language plpgsql as $$ begin new.updated_at := now(); return new; end $$;
create trigger stamp before update on "order" for each row execute function stamp();
create table journal (id serial primary key, what text not null);
create function note_state() returns trigger language plpgsql as $$ begin insert into wholesale.journal (what) values (new.order_no || ' is ' || new.state); return null; end $$;
create trigger note_state after update of state on "order" for each row execute function note_state();
create function no_reopening() returns trigger language plpgsql as $$
begin
  if old.state = 'sent' and new.state = 'draft' then
    raise exception 'Order % was sent.', old.order_no using errcode = 'check_violation';
  end if;
  return new;
end $$;
create trigger no_reopening before update on "order" for each row execute function no_reopening();

insert into region values ('N', 'North'), ('S', 'South');
insert into employee (id, full_name, email) values ('0a0a0a0a-0000-4000-8000-000000000001', 'Petra Holm', 'petra@wholesale.example');
insert into employee (id, full_name, email, reports_to) values ('0a0a0a0a-0000-4000-8000-000000000002', 'Ruben Salt', 'ruben@wholesale.example', '0a0a0a0a-0000-4000-8000-000000000001');
insert into "Customer" ("CompanyName", "ContactEmail", "Region", "CreditLimit", "Rating", "Terms") values ('Lantern & Sons', 'office@lantern.example', 'N', 5000, 'A', 'net 30'), ('Quill Ltd', 'hello@quill.example', 'S', 200, 'C', 'prepaid');
insert into "order" (customer, handled_by, state, net) values (1, '0a0a0a0a-0000-4000-8000-000000000002', 'placed', 120), (2, null, 'draft', 80);
