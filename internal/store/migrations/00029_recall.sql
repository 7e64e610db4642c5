-- +goose Up
-- Tags that are held: none of their trees is sold or planted out until they are released.
create table held (
  id          bigint generated always as identity primary key,
  tag_id      bigint not null references any_tag,
  reason      text not null check (length(reason) <= 500),
  asked       text not null check (length(asked) <= 200),   -- what was recalled: kind and which
  held_by     bigint not null references person,
  held_at     timestamptz not null,
  released_by bigint references person,
  released_at timestamptz,
  released_why text not null default '' check (length(released_why) <= 500)
);
create unique index held_once on held (tag_id) where released_at is null;

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
