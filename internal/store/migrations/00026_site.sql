-- +goose Up
-- What the site's usual dates, temperatures and rests were before all of them were set at
-- once, so that it can be taken back.
create table site_was (
  id        bigint generated always as identity primary key,
  climate   text not null check (length(climate) <= 20),
  south     boolean not null,
  anchors   jsonb not null,
  normals   jsonb not null,
  rests     jsonb not null,
  person_id bigint not null references person,
  at        timestamptz not null,
  back_at   timestamptz
);

-- What the house grows: offered first, and whose season the band shows first.
create table grown (genus text primary key references genus check (length(genus) <= 60));
create constraint trigger grown_raises after insert or update or delete on grown deferrable initially deferred
  for each row execute function raise_revision('settings');

-- A look is only added to; one that was noted by a slip is said to be taken back.
alter table store_look rename to any_look;
create table look_back (
  look_id   bigint primary key references any_look,
  person_id bigint not null references person,
  at        timestamptz not null
);
create view store_look as select id, place_id, bundle_id, found, thrown, note, person_id, at
  from any_look l where not exists (select from look_back b where b.look_id = l.id);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
