-- +goose Up
-- What was agreed that a tree of an order brings.
alter table orders add column tree_cents int check (tree_cents between 1 and 10000000);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
