-- +goose Up
-- Where tags and bundles lay, each place once: what a recall can be asked for.
create index tag_stay_place on tag_stay (place);
create index bundle_stay_place on bundle_stay (place);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
