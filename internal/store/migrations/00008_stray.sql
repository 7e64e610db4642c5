-- +goose Up
-- How far a hand's placing strays sideways, measured on unions cut open.
create table hand_stray (
  id        bigint generated always as identity primary key,
  person_id bigint not null references person,
  n         int not null check (n between 3 and 1000),
  sd_mm     numeric(4,2) not null check (sd_mm > 0 and sd_mm < 10),
  by_id     bigint not null references person,
  at        timestamptz not null
);
create index hand_stray_person on hand_stray (person_id, id desc);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
