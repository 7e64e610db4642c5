-- +goose Up
-- The last marks of a step, from which its pace is learned: however many there were before.
create index step_done_last on step_done (knot, at desc) where undone_at is null;

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
