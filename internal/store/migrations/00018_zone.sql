-- +goose Up
-- The house's own time zone, so that servers in any zone agree on its days. "" is that of
-- the machine on which a server starts next, which keeps it.
alter table house add column time_zone text not null default '';

-- +goose Down
select 1;
