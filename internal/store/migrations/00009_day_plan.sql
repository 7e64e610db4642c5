-- +goose Up
-- What a plan of the days changed, so that it can be taken back.
create table day_plan (
  id        bigint generated always as identity primary key,
  person_id bigint not null references person,
  at        timestamptz not null,
  made      text[] not null,        -- codes of tags made
  moved     jsonb not null,         -- where tags stood before: code, worker, day, half
  undone_at timestamptz
);
create index tag_day_open on tag (day, half) where finished_at is null;

alter table load drop constraint load_kind_check;
alter table load add constraint load_kind_check check (kind in ('lots', 'readings', 'plants', 'bundles', 'orders', 'store', 'weather'));

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
