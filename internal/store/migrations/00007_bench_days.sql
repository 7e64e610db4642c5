-- +goose Up
-- Who is at the bench when, what they know, where they sit, and what things
-- are worth: what the plan of the bench days and an order's means draw on.

alter table person add column hours_set boolean not null default false;   -- else the house default for the role
alter table person add column skills_set boolean not null default false;  -- else every technique in use
create table person_hours (
  person_id bigint not null references person,
  weekday   int not null check (weekday between 1 and 7),   -- Monday is 1
  half      int not null check (half in (1, 2)),
  hours     numeric(3,1) not null check (hours > 0 and hours <= 8),
  primary key (person_id, weekday, half)
);
create table person_skill (
  person_id bigint not null references person,
  technique text not null references technique,
  primary key (person_id, technique)
);
create table person_away (
  id        bigint generated always as identity primary key,
  person_id bigint not null references person,
  from_day  date not null,
  to_day    date not null check (to_day >= from_day),
  why       text not null default ''
);
create index person_away_days on person_away (to_day);

-- Seats. A technique with stations of its own is done at those alone.
create table station (
  id        bigint generated always as identity primary key,
  name      text not null check (btrim(name) <> ''),
  technique text references technique,
  seats     int not null check (seats between 1 and 500)
);
create unique index station_name on station (lower(name));
insert into station (name, technique, seats) values ('the bench', null, 12), ('the cutting tool', 'tool-cut', 1);

alter table tag add column half int not null default 1 check (half in (1, 2));
alter table tag add column locked boolean not null default false;

alter table house add column grade_share numeric(4,3) not null default 0.960 check (grade_share > 0 and grade_share < 1);
alter table house add column tree_cents int not null default 900 check (tree_cents >= 0);
alter table house add column stem_cents int not null default 130 check (stem_cents >= 0);
alter table house add column piece_cents int not null default 35 check (piece_cents >= 0);
alter table house add column delay_share numeric(3,2) not null default 0.25 check (delay_share between 0 and 1);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
