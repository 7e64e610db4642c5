-- +goose Up
-- From where a change came.
alter table change_record add column address text not null default '' check (length(address) <= 64);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
