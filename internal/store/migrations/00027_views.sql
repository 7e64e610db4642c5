-- +goose Up
-- A list as somebody looks at it: what is shown, sorted and left out.
create table saved_view (
  id        bigint generated always as identity primary key,
  person_id bigint not null references person,
  path      text not null check (length(path) <= 100),
  name      text not null check (length(name) <= 60 and btrim(name) <> ''),
  query     text not null check (length(query) <= 1000),
  unique (person_id, path, name)
);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
