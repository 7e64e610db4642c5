-- +goose Up
-- The house's own time zone, so that servers in any zone agree on its days. "" is that of
-- the machine on which a server starts next, which keeps it.
alter table house add column time_zone text not null default '';

-- When the house was copied last, and how large the copy is.
alter table house add column copied_at timestamptz;
alter table house add column copied_bytes bigint not null default 0;

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
