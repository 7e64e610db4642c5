-- +goose Up
-- Who works here, what they may do, and what was changed by whom.

create table house (
  only_one        boolean primary key default true check (only_one),
  name            text not null default 'A new nursery',
  place           text not null default '',
  demo_day        date,                         -- a fixed day, set by the demo alone
  demo_clock      time not null default '14:05',
  setup_code_hash text,                         -- the one-time code of an empty house
  tag_size        int not null default 25 check (tag_size between 1 and 200),
  chance          numeric(4,3) not null default 0.900 check (chance > 0.5 and chance < 1),
  wage_cents_hour int not null default 1600 check (wage_cents_hour >= 0)
);
insert into house default values;

create table person (
  id            bigint generated always as identity primary key,
  name          text not null check (btrim(name) <> ''),
  sign_in       text not null check (sign_in = lower(btrim(sign_in)) and sign_in <> ''),
  role          text not null check (role in ('propagator', 'bench hand', 'looker')),
  password_hash text,
  pin_hash      text,
  wrong_tries   int not null default 0,
  wait_until    timestamptz,
  left_on       date,
  made_at       timestamptz not null default now(),
  unique (sign_in)
);
create unique index person_name on person (lower(name));

create table sessions (
  token  text primary key,
  data   bytea not null,
  expiry timestamptz not null
);
create index sessions_expiry on sessions (expiry);

create table change_record (
  id         bigint generated always as identity primary key,
  at         timestamptz not null,
  person_id  bigint references person,
  request_id text not null default '',
  what       text not null,
  ref        text not null,
  doing      text not null,
  before     jsonb,
  after      jsonb
);
create index change_record_ref on change_record (what, ref, id desc);

-- A form carries a key of its own; pressed twice it leads to the first answer.
create table done_once (
  key  uuid primary key,
  path text not null,
  at   timestamptz not null default now()
);

create table load (
  id        bigint generated always as identity primary key,
  kind      text not null check (kind in ('lots', 'readings', 'plants', 'bundles', 'orders')),
  file_name text not null,
  sha256    bytea not null,
  body      bytea not null,
  state     text not null default 'read' check (state in ('read', 'loaded', 'dropped')),
  person_id bigint not null references person,
  at        timestamptz not null,
  added     int not null default 0,
  unchanged int not null default 0
);
create index load_file on load (kind, sha256);

-- +goose StatementBegin
create function only_added_to() returns trigger language plpgsql as $$
begin
  raise exception '% is only added to', tg_table_name using errcode = 'restrict_violation';
end $$;
-- +goose StatementEnd
create trigger change_record_kept before update or delete on change_record
  for each row execute function only_added_to();

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
