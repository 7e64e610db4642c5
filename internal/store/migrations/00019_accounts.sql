-- +goose Up
-- Who is signed in where: whose session it is, so that it can be listed and ended. Tokens
-- are kept as hashes: whoever reads the table gets in nowhere.
delete from sessions;
alter table sessions add column person_id bigint;
alter table sessions add column tablet_by bigint;   -- who opened the tablet
alter table sessions add column by_pin boolean not null default false;
alter table sessions add column address text not null default '';
alter table sessions add column agent text not null default '';
alter table sessions add column made_at timestamptz not null default now();
alter table sessions add column seen_at timestamptz not null default now();
create index sessions_person on sessions (person_id) where person_id is not null;
create index sessions_tablet on sessions (tablet_by) where tablet_by is not null;

-- Wrong tries at the door, by what was tried (password, pin), for whom, and from where:
-- nobody shuts another out of the desk by trying from elsewhere.
create table door_try (
  kind       text not null check (kind in ('password', 'pin', 'code')),
  who        text not null check (length(who) <= 80),
  address    text not null check (length(address) <= 64),
  wrong      int not null,
  wait_until timestamptz,
  last_at    timestamptz not null,
  primary key (kind, who, address)
);
create index door_try_old on door_try (last_at);

-- Codes with which somebody sets a new password or PIN, once, told by a propagator or
-- on the console.
create table door_code (
  hash      bytea primary key,
  person_id bigint not null references person,
  made_by   bigint references person,
  made_at   timestamptz not null,
  until     timestamptz not null,
  used_at   timestamptz
);
create index door_code_person on door_code (person_id);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
