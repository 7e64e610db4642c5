-- +goose Up
-- Learners: a class grafts a batch, each of its learners on tags of their own, and what they make
-- is looked at before it is bound. A class has a person under whom its grafts are counted, so that
-- Results weigh it as one hand among the others.
alter table person drop constraint person_role_check;
alter table person add constraint person_role_check check (role in ('propagator', 'bench hand', 'looker', 'class'));

create table class (
  id         bigint generated always as identity primary key,
  code       text not null unique check (length(code) <= 24),
  name       text not null check (length(name) <= 80),
  day        date not null,
  place      text not null default '' check (length(place) <= 80),
  technique  text not null references technique check (length(technique) <= 60),
  cans       int not null check (cans between 1 and 200),       -- a learner
  warmups    int not null check (warmups between 0 and 50),     -- unions of practice wood, a learner
  check_tape text not null check (length(check_tape) <= 20 and check_tape in ('every', 'cleared', 'none')),
  bar_pct    int not null check (bar_pct between 1 and 100),    -- of the last bar_run first tries
  bar_run    int not null check (bar_run between 3 and 14),
  person_id  bigint not null unique references person,
  made_by    bigint not null references person,
  made_at    timestamptz not null,
  opened_at  timestamptz,   -- cautions read, tools counted out
  begun_at   timestamptz,   -- of the grafts that count: before it, practice wood
  closed_at  timestamptz,   -- tools counted in
  closed_why text not null default '' check (length(closed_why) <= 300), -- where tools are missing
  erased_at  timestamptz,   -- the learners' names
  off_at     timestamptz,   -- called off before it was opened
  check (begun_at is null or opened_at is not null),
  check (closed_at is null or opened_at is not null),
  check (off_at is null or opened_at is null)
);
create table class_tool (
  class_id bigint not null references class,
  tool     text not null check (length(tool) between 1 and 60),
  out_n    int not null check (out_n between 0 and 10000),
  in_n     int check (in_n between 0 and 10000),
  primary key (class_id, tool)
);
create table learner (
  id          bigint generated always as identity primary key,
  class_id    bigint not null references class,
  place       int not null check (place between 1 and 200),
  name        text not null default '' check (length(name) <= 60),  -- taken out afterwards
  on_label    boolean not null default false,
  person_id   bigint references person,       -- a hand of the house who learns
  waits_since timestamptz,                     -- with a graft to be looked at
  left_at     timestamptz,
  cleared_at  timestamptz,
  home_at     timestamptz,                     -- what lived was taken home
  unique (class_id, place)
);
create table learner_tag (
  tag_id     bigint primary key references any_tag,
  learner_id bigint not null references learner
);
create index learner_tag_learner on learner_tag (learner_id);
create table verdict (
  id          uuid primary key,
  learner_id  bigint not null references learner,
  says        text not null check (length(says) <= 20),
  warm        boolean not null,                -- on practice wood
  seen        uuid,                            -- the newest one of this learner that the device knew
  person_id   bigint not null references person,
  at          timestamptz not null,
  received_at timestamptz not null,
  device      text not null default '' check (length(device) <= 64),
  held        text check (length(held) <= 20), -- why it does not hold
  tag_id      bigint references any_tag,       -- on which it counted
  tap_id      uuid,                            -- the tap that it made there
  undone_at   timestamptz
);
create index verdict_learner on verdict (learner_id, at);

-- How many of a learner's grafts were passed; no more are bound. Null: nothing has to be passed.
alter table any_tag add column passed int check (passed >= 0);

-- Practice of anybody, apart from what is made: sheets of cuts, and guesses at the drawn union.
create table practice_sheet (
  id        uuid primary key,
  person_id bigint not null references person,
  on_day    date not null,
  technique text not null references technique check (length(technique) <= 60),
  cuts      int not null check (cuts between 1 and 500),
  flat      int not null check (flat between 0 and 500),
  fit       int not null check (fit between 0 and 500),  -- of two that met
  wood      text not null default '' check (length(wood) <= 60),
  note      text not null default '' check (length(note) <= 300),
  by_id     bigint not null references person,
  at        timestamptz not null,
  undone_at timestamptz,
  check (flat <= cuts and fit <= cuts)
);
create index practice_sheet_person on practice_sheet (person_id, on_day);
create table practice_guess (
  id        uuid primary key,
  person_id bigint not null references person,
  technique text not null references technique check (length(technique) <= 60),
  stock_mm  double precision not null check (stock_mm between 2 and 200),
  wood_mm   double precision not null check (wood_mm between 2 and 200),
  guess_mm  double precision not null check (abs(guess_mm) <= 200),
  best_mm   double precision not null check (abs(best_mm) <= 200),
  score     int not null check (score between 0 and 100),
  at        timestamptz not null
);
create index practice_guess_person on practice_guess (person_id, at);
insert into house_way (key, sort, question, options, chosen, why) values
 ('before tape', 29, 'Learners'' grafts, looked at before they are bound', 'every one · until they are cleared · none',
  'every one', 'what is bound crooked is seen only when it is dead');

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
