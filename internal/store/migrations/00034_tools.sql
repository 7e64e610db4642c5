-- +goose Up
-- Cutting tools, and who cut with which from when on: what a tool may have carried goes where
-- its worker's tags went.
create table tool (
  id      bigint generated always as identity primary key,
  name    text not null check (length(name) between 1 and 60),
  made_at timestamptz not null,
  gone_on date
);
create unique index tool_name on tool (lower(name));
create table tool_hold (
  id        bigint generated always as identity primary key,
  person_id bigint not null references person,
  tool_id   bigint references tool,          -- null: with none that is noted
  at        timestamptz not null,
  noted_by  bigint not null references person,
  undone_at timestamptz
);
create index tool_hold_person on tool_hold (person_id, at desc, id desc) where undone_at is null;
create index tool_hold_tool on tool_hold (tool_id) where undone_at is null;

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
