-- +goose Up
-- What moves a year: the site's usual temperatures, what was read, and what
-- somebody saw. The shipped dates are kept to go back to.

create table season_anchor_shipped as select * from season_anchor;
alter table season_group add column rests boolean not null default true;
alter table season_anchor drop constraint season_anchor_kind_check;
alter table season_anchor add constraint season_anchor_kind_check check (kind in ('rest begins', 'bud swell', 'slip begins', 'slip ends',
  'budwood ripe', 'first hard frost', 'last frost', 'dry spell begins', 'dry spell ends'));

create table site_normal (
  month  int primary key check (month between 1 and 12),
  mean_c numeric(4,1) not null check (mean_c between -40 and 45),
  source text not null default 'house default'
);
insert into site_normal (month, mean_c) values (1,2.5),(2,3),(3,5.5),(4,8.5),(5,12),(6,15),(7,17),(8,16.8),(9,14),(10,10),(11,6),(12,3.5);

create table weather_day (
  on_day date primary key,
  mean_c numeric(4,1) not null check (mean_c between -50 and 50),
  low_c  numeric(4,1) not null check (low_c <= mean_c),
  source text not null check (source in ('by hand', 'file', 'feed', 'simulated feed'))
);

create table season_seen (
  id           bigint generated always as identity primary key,
  season_group text not null references season_group,
  says         text not null,
  seen_on      date not null,
  place        text not null default '',
  note         text not null default '',
  person_id    bigint not null references person,
  at           timestamptz not null,
  dropped_at   timestamptz
);
create index season_seen_group on season_seen (season_group, seen_on) where dropped_at is null;

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
