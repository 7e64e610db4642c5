-- +goose Up
-- Rows in the field: what stands in them from which plant to which, counted from the end at which
-- the row begins, where there are gaps, how the soil is, and what was done along them.
create table field_row (
  id         bigint generated always as identity primary key,
  field      text not null check (length(field) between 1 and 60),
  number     int not null check (number between 1 and 9999 or number > 10000), -- the latter while two change numbers
  bearing    int not null check (bearing between 0 and 359),  -- walked from its first plant, in degrees from north
  wind_from  int check (wind_from between 0 and 359),         -- whence the wind mostly blows
  spacing_cm int not null check (spacing_cm between 1 and 500),
  note       text not null default '' check (length(note) <= 300),
  made_at    timestamptz not null,
  gone_at    timestamptz
);
create unique index field_row_number on field_row (lower(field), number) where gone_at is null;
create table row_number_was (
  row_id    bigint not null references field_row,
  field     text not null check (length(field) <= 60),
  number    int not null,
  until_at  timestamptz not null,
  person_id bigint not null references person
);
create index row_number_was_row on row_number_was (row_id);
create table row_stand (
  id        bigint generated always as identity primary key,
  row_id    bigint not null references field_row,
  lot_id    bigint not null references any_lot,
  first     int not null check (first between 1 and 100000),
  last      int not null check (last between 1 and 100000),
  gone_at   timestamptz,
  check (last >= first)
);
create index row_stand_row on row_stand (row_id);
create unique index row_stand_lot on row_stand (lot_id) where gone_at is null; -- a lot stands in one row
create table row_gap (
  id        uuid primary key,
  stand_id  bigint not null references row_stand,
  at_plant  int not null check (at_plant between 1 and 100000),
  why       text not null default '' check (length(why) <= 120),
  tag_id    bigint references any_tag,  -- whose plant it was: it was budded before it went
  person_id bigint not null references person,
  at        timestamptz not null,
  undone_at timestamptz
);
create unique index row_gap_once on row_gap (stand_id, at_plant) where undone_at is null;
-- How the soil of a row was found.
create table row_soil (
  id        uuid primary key,
  row_id    bigint not null references field_row,
  soil      text not null check (length(soil) <= 20 and soil in ('dry', 'moist', 'sodden')),
  on_day    date not null,
  person_id bigint not null references person,
  at        timestamptz not null,
  undone_at timestamptz
);
create index row_soil_row on row_soil (row_id, on_day);
-- Where along its row a tag begins, where that was noted.
create table row_tag (
  tag_id    bigint primary key references any_tag,
  row_id    bigint not null references field_row,
  first     int not null check (first between 1 and 100000),
  person_id bigint not null references person,
  at        timestamptz not null
);
create index row_tag_row on row_tag (row_id);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
