-- +goose Up
-- In which tongue somebody reads their own page; '' is the house's, English.
alter table person add column tongue text not null default '' check (tongue ~ '^[a-z]*$' and length(tongue) <= 3);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
