-- +goose Up
create table batch (
  id        bigint generated always as identity primary key,
  code      text not null unique,
  order_id  bigint not null references orders,
  tie       text not null references tie,
  healing   text not null references healing_way,
  grafts    int not null check (grafts > 0),
  person_id bigint not null references person,
  made_at   timestamptz not null,
  undone_at timestamptz
);
create index batch_order on batch (order_id, id);

create table batch_thread (
  batch_id  bigint not null references batch,
  lot_id    bigint not null references stock_lot,
  stock_mm  numeric(5,2) not null,
  bundle_id bigint not null references wood_bundle,
  wood_mm   numeric(5,2) not null,
  technique text not null references technique,
  n         int not null check (n > 0),
  primary key (batch_id, lot_id, stock_mm, bundle_id, wood_mm, technique)
);

create table tag (
  id          bigint generated always as identity primary key,
  code        text not null unique,
  batch_id    bigint not null references batch,
  lot_id      bigint not null references stock_lot,
  bundle_id   bigint not null references wood_bundle,
  technique   text not null references technique,
  worker_id   bigint not null references person,
  day         date not null,
  planned     int not null check (planned > 0),
  started_at  timestamptz,
  finished_at timestamptz,
  heal_place  text not null default ''
);
create index tag_batch on tag (batch_id, id);
create index tag_worker_day on tag (worker_id, day, id);
create index tag_lot on tag (lot_id);
create index tag_bundle on tag (bundle_id);
create index tag_open on tag (day, id) where finished_at is null;
create index tag_finished on tag (finished_at desc, id desc) where finished_at is not null;

create table tag_thread (
  tag_id   bigint not null references tag,
  stock_mm numeric(5,2) not null,
  wood_mm  numeric(5,2) not null,
  n        int not null check (n > 0),
  primary key (tag_id, stock_mm, wood_mm)
);

-- One tap at the bench. The id is made by the tablet, so a tap sent twice is one tap.
create table tally (
  id          uuid primary key,
  tag_id      bigint not null references tag,
  person_id   bigint not null references person,
  kind        text not null check (kind in ('tied','spoiled stock','spoiled wood','dropped','set aside','wiped','new blade','finish',
    'undo')),
  n           int not null default 1 check (n between 1 and 1000),
  undoes      uuid references tally,
  at          timestamptz not null,
  received_at timestamptz not null,
  held        text              -- why it stands here and is not counted
);
create index tally_tag on tally (tag_id, received_at, id);
create unique index tally_undone_once on tally (undoes) where held is null;
create index tally_person on tally (person_id, at);
create trigger tally_kept before update or delete on tally for each row execute function only_added_to();

create table take_count (
  id          uuid primary key,
  tag_id      bigint not null references tag,
  look        text not null check (look in ('first look', 'end of season')),
  counted_on  date not null,
  taken       int not null check (taken >= 0),
  doubtful    int not null check (doubtful >= 0),
  dead        int not null check (dead >= 0),
  person_id   bigint not null references person,
  at          timestamptz not null,
  replaces_id uuid references take_count
);
create index take_count_at on take_count (at desc);
create unique index take_count_first on take_count (tag_id, look) where replaces_id is null;
create unique index take_count_chain on take_count (replaces_id) where replaces_id is not null;
create trigger take_count_kept before update or delete on take_count for each row execute function only_added_to();

create table count_cause (
  count_id uuid not null references take_count,
  cause    text not null references cause,
  n        int not null check (n > 0),
  primary key (count_id, cause)
);

-- The look that stands for a tag: the season's end before the first look, and
-- a correction before what it corrects. Kept by the database itself, so that
-- lists and sums of years need not sort every count ever made.
alter table tag add column look_id uuid references take_count;
create index tag_look on tag (look_id) where look_id is not null;
create index tag_uncounted on tag (id) where finished_at is not null and look_id is null;
-- +goose StatementBegin
create function take_count_stands() returns trigger language plpgsql as $$
begin
  update tag t set look_id = new.id where t.id = new.tag_id
    and (new.look = 'end of season' or not exists (select 1 from take_count c where c.id = t.look_id and c.look = 'end of season'));
  return null;
end $$;
-- +goose StatementEnd
create trigger take_count_stands after insert on take_count for each row execute function take_count_stands();

alter table stock_ledger add foreign key (batch_id) references batch;
alter table stock_ledger add foreign key (tag_id) references tag;
alter table wood_ledger add foreign key (batch_id) references batch;
alter table wood_ledger add foreign key (tag_id) references tag;

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
