-- +goose Up
create table variety (
  id    bigint generated always as identity primary key,
  genus text not null references genus,
  name  text not null check (btrim(name) <> '')
);
create unique index variety_name on variety (lower(name), genus);

create table stock_type (
  id     bigint generated always as identity primary key,
  genus  text not null references genus,
  name   text not null check (btrim(name) <> '')
);
create unique index stock_type_name on stock_type (lower(name), genus);

create table stock_lot (
  id            bigint generated always as identity primary key,
  code          text not null unique check (code ~ '^[A-Z0-9][A-Z0-9.-]{0,23}$'),
  stock_type_id bigint not null references stock_type,
  supplier      text not null default '',
  received_on   date not null,
  form          text not null check (form in ('bare-root', 'potted', 'in the row')),
  place         text not null default '',
  received      int not null check (received between 1 and 1000000),
  grade_low_mm  numeric(5,2),
  grade_high_mm numeric(5,2),
  health        text not null default '',
  made_at       timestamptz not null,
  check (grade_low_mm > 0 and grade_high_mm > grade_low_mm),
  check ((grade_low_mm is null) = (grade_high_mm is null))
);
create index stock_lot_type on stock_lot (stock_type_id, id);

create table caliper_reading (
  lot_id   bigint not null references stock_lot,
  taken_on date not null,
  no       int not null check (no > 0),
  mm       numeric(5,2) not null check (mm between 1 and 150),
  person_id bigint references person,
  primary key (lot_id, taken_on, no)
);

create table mother_plant (
  id            bigint generated always as identity primary key,
  code          text not null unique check (code ~ '^[A-Z0-9][A-Z0-9.-]{0,23}$'),
  variety_id    bigint not null references variety,
  place         text not null default '',
  planted_year  int check (planted_year between 1800 and 2200),
  seen_true_by  text not null default '',
  seen_true_on  date,
  health        text not null default '',
  licence       text not null default '',
  made_at       timestamptz not null
);
create index mother_plant_variety on mother_plant (variety_id, id);

create table wood_bundle (
  id             bigint generated always as identity primary key,
  code           text not null unique check (code ~ '^[A-Z0-9][A-Z0-9.-]{0,23}$'),
  plant_id       bigint not null references mother_plant,
  cut_on         date not null,
  state          text not null check (state in ('resting', 'ripe green')),
  sticks         int not null check (sticks between 1 and 100000),
  length_mm      numeric(6,1) not null check (length_mm between 20 and 5000),
  base_mm        numeric(5,2) not null check (base_mm between 1 and 80),
  tip_mm         numeric(5,2) not null check (tip_mm between 0.5 and 80),
  internode_mm   numeric(5,1) not null check (internode_mm between 2 and 500),
  blind_share    numeric(4,3) not null default 0 check (blind_share between 0 and 0.95),
  buds_per_piece int not null check (buds_per_piece between 1 and 6),
  usable         text not null,       -- the house way it was counted by
  pieces         int not null check (pieces >= 0),
  place          text not null default '',
  made_at        timestamptz not null,
  check (tip_mm <= base_mm)
);
create index wood_bundle_plant on wood_bundle (plant_id, id);

create table orders (
  id            bigint generated always as identity primary key,
  code          text not null unique check (code ~ '^[A-Z0-9][A-Z0-9.-]{0,23}$'),
  variety_id    bigint not null references variety,
  stock_type_id bigint not null references stock_type,
  trees         int not null check (trees between 1 and 1000000),
  due_on        date not null,
  priority      int not null default 2 check (priority between 1 and 3),
  buyer         text not null default '',
  made_at       timestamptz not null
);
create index orders_due on orders (due_on, id);

-- Stems and pieces move between accounts; 'outside' is beyond the nursery's gate.
create table stock_ledger (
  id           bigint generated always as identity primary key,
  lot_id       bigint not null references stock_lot,
  n            int not null check (n > 0),
  from_account text not null check (from_account in ('outside','free','aside','grafted','spoiled','lost')),
  to_account   text not null check (to_account in ('outside','free','aside','grafted','spoiled','lost')),
  mm           numeric(5,2),               -- middle of the diameter class, where known
  reason       text not null,
  batch_id     bigint,
  tag_id       bigint,
  person_id    bigint references person,
  at           timestamptz not null,
  check (from_account <> to_account)
);
create index stock_ledger_lot on stock_ledger (lot_id, id desc);
create index stock_ledger_tag on stock_ledger (tag_id) where tag_id is not null;
create table stock_balance (
  lot_id  bigint not null references stock_lot,
  account text not null,
  n       int not null,
  primary key (lot_id, account),
  constraint stock_never_below_zero check (n >= 0)
);
create index stock_free on stock_balance (lot_id) where account = 'free' and n > 0;
create table wood_ledger (
  id           bigint generated always as identity primary key,
  bundle_id    bigint not null references wood_bundle,
  n            int not null check (n > 0),
  from_account text not null check (from_account in ('outside','free','aside','grafted','spoiled','lost')),
  to_account   text not null check (to_account in ('outside','free','aside','grafted','spoiled','lost')),
  mm           numeric(5,2),
  reason       text not null,
  batch_id     bigint,
  tag_id       bigint,
  person_id    bigint references person,
  at           timestamptz not null,
  check (from_account <> to_account)
);
create index wood_ledger_bundle on wood_ledger (bundle_id, id desc);
create index wood_ledger_tag on wood_ledger (tag_id) where tag_id is not null;
create table wood_balance (
  bundle_id bigint not null references wood_bundle,
  account   text not null,
  n         int not null,
  primary key (bundle_id, account),
  constraint wood_never_below_zero check (n >= 0)
);

create index wood_free on wood_balance (bundle_id) where account = 'free' and n > 0;

-- +goose StatementBegin
create function stock_ledger_move() returns trigger language plpgsql as $$
begin
  if new.from_account <> 'outside' then
    insert into stock_balance as b (lot_id, account, n) values (new.lot_id, new.from_account, 0) on conflict do nothing;
    update stock_balance set n = n - new.n where lot_id = new.lot_id and account = new.from_account;
  end if;
  if new.to_account <> 'outside' then
    insert into stock_balance as b (lot_id, account, n) values (new.lot_id, new.to_account, new.n)
      on conflict (lot_id, account) do update set n = b.n + excluded.n;
  end if;
  return new;
end $$;
create function wood_ledger_move() returns trigger language plpgsql as $$
begin
  if new.from_account <> 'outside' then
    insert into wood_balance as b (bundle_id, account, n) values (new.bundle_id, new.from_account, 0) on conflict do nothing;
    update wood_balance set n = n - new.n where bundle_id = new.bundle_id and account = new.from_account;
  end if;
  if new.to_account <> 'outside' then
    insert into wood_balance as b (bundle_id, account, n) values (new.bundle_id, new.to_account, new.n)
      on conflict (bundle_id, account) do update set n = b.n + excluded.n;
  end if;
  return new;
end $$;
-- +goose StatementEnd
create trigger stock_ledger_moves before insert on stock_ledger for each row execute function stock_ledger_move();
create trigger stock_ledger_kept before update or delete on stock_ledger for each row execute function only_added_to();
create trigger wood_ledger_moves before insert on wood_ledger for each row execute function wood_ledger_move();
create trigger wood_ledger_kept before update or delete on wood_ledger for each row execute function only_added_to();

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
