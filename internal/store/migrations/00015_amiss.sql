-- +goose Up
-- What a look found amiss in a place, beside what took, until it is put right.
create table amiss (
  id         bigint generated always as identity primary key,
  place      text not null,
  what       text not null check (what in ('roots dry', 'wax open', 'labels gone', 'mould')),
  seen_at    timestamptz not null,
  seen_by    bigint not null references person,
  righted_at timestamptz,
  righted_by bigint references person,
  check ((righted_at is null) = (righted_by is null))
);
create unique index amiss_open on amiss (lower(place), what) where righted_at is null;

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
