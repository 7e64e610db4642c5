-- +goose Up
-- Growing on: what lives of each tag and where, what was done to it, what was lost
-- and sold, rounds of places, and the house's own days of what follows.

-- Looks in the order in which they are made; a later one stands before an earlier.
alter table take_count drop constraint take_count_look_check;
alter table take_count add constraint take_count_look_check
  check (look in ('first look', 'take look', 'bud look', 'end of season'));
-- +goose StatementBegin
create function look_rank(look text) returns int language sql immutable as $$
  select array_position(array['', 'first look', 'take look', 'bud look', 'end of season'], look)
$$;
create or replace function take_count_stands() returns trigger language plpgsql as $$
begin
  update tag t set look_id = new.id where t.id = new.tag_id
    and look_rank(new.look) >= look_rank(coalesce((select c.look from take_count c where c.id = t.look_id), ''));
  return null;
end $$;
-- +goose StatementEnd

-- What lives of a tag: alive or doubtful by the look that stands, or tied where
-- nobody looked, less what was lost or went since that look.
alter table tag add column standing int not null default 0 constraint tag_stands check (standing >= 0);
alter table tag add column lost_since int not null default 0;
alter table tag add column gone int not null default 0;       -- sold or planted, ever
alter table tag add column gone_since int not null default 0; -- since the look that stands
alter table tag add column cover text not null default '' check (cover in ('', 'bag', 'sleeve', 'shade'));
alter table tag add column form text not null default '' check (form in ('', 'box', 'pot', 'row', 'lifted'));
create index tag_growing on tag (id) where standing > 0;

-- A tree lost, sold or planted out, between looks. act is what the device made: one
-- tap may lose trees of several tags.
create table tree_move (
  act       uuid not null,
  tag_id    bigint not null references tag,
  what      text not null check (what in ('lost', 'sold', 'planted')),
  n         int not null check (n > 0),
  cause     text references cause,
  knot      text not null default '',   -- the step in passing which it was seen
  look      text not null,              -- the look that stood then
  buyer     text not null default '',
  place     text not null default '',
  on_day    date not null,
  reason    text not null default '',   -- why it was sold before it was fit
  person_id bigint not null references person,
  at        timestamptz not null,
  undone_at timestamptz,
  primary key (act, tag_id),
  check ((what = 'lost') = (cause is not null))
);
create index tree_move_tag on tree_move (tag_id) where undone_at is null;
create index tree_move_at on tree_move (at desc);

-- A step done, or growth seen.
create table step_done (
  act       uuid not null,
  tag_id    bigint not null references tag,
  knot      text not null,
  n         int not null default 0 check (n >= 0),
  on_day    date not null,
  reason    text not null default '',   -- why it was done before its time
  place     text not null default '',
  late_days int not null default 0,     -- after its last day, and of how many trees:
  trees     int not null default 0,     -- what being late costs here is learned from them
  person_id bigint not null references person,
  at        timestamptz not null,
  undone_at timestamptz,
  primary key (act, tag_id, knot, n)
);
create unique index step_done_once on step_done (tag_id, knot, n) where undone_at is null;
create index step_done_at on step_done (at desc);

-- Where a tag stood, from when, and as what.
create table tag_stay (
  tag_id    bigint not null references tag,
  since     timestamptz not null,
  place     text not null,
  form      text not null,
  person_id bigint references person,
  primary key (tag_id, since)
);

-- +goose StatementBegin
create function tree_sums(of bigint) returns void language sql as $$
  update tag t set lost_since = s.lost, gone = s.gone, gone_since = s.gone_since,
    standing = case when t.finished_at is null then 0 else s.alive - s.lost - s.gone_since end
  from (select coalesce(c.taken + c.doubtful, g.tied) as alive, coalesce(m.lost, 0) as lost, coalesce(m.gone, 0) as gone,
      coalesce(m.gone_since, 0) as gone_since
    from tag g left join take_count c on c.id = g.look_id
    left join lateral (select sum(n) filter (where what = 'lost' and look = coalesce(c.look, '')) as lost,
      sum(n) filter (where what <> 'lost') as gone, sum(n) filter (where what <> 'lost' and look = coalesce(c.look, '')) as gone_since
      from tree_move x where x.tag_id = g.id and x.undone_at is null) m on true
    where g.id = of) s
  where t.id = of and (t.lost_since, t.gone, t.gone_since, t.standing) is distinct from
    (s.lost::int, s.gone::int, s.gone_since::int, (case when t.finished_at is null then 0 else s.alive - s.lost - s.gone_since end)::int)
$$;
create function tree_sums_tag() returns trigger language plpgsql as $$
begin
  perform tree_sums(new.id);
  return null;
end $$;
create function tree_sums_moves() returns trigger language plpgsql as $$
begin
  perform tree_sums(new.tag_id);
  return null;
end $$;
-- +goose StatementEnd
create trigger tag_made_stands after insert on tag for each row when (new.finished_at is not null) execute function tree_sums_tag();
create trigger tag_stands after update of finished_at, tied, look_id on tag for each row
  when (new.finished_at is not null or old.finished_at is not null) execute function tree_sums_tag();
create trigger tree_move_stands after insert or update on tree_move for each row execute function tree_sums_moves();
update tag t set standing = coalesce((select c.taken + c.doubtful from take_count c where c.id = t.look_id), t.tied)
  where finished_at is not null;
insert into tag_stay select id, finished_at, heal_place, '', null from tag where finished_at is not null and heal_place <> '';

-- Places that heal and grow, beside the stores.
alter table store_place add column kind text not null default 'store' check (kind in ('store', 'heal', 'grow'));
alter table store_place drop constraint store_place_set_c_check;
alter table store_place add constraint store_place_set_c_check check (set_c between -10 and 35);

-- Rounds of a place: every so many days, and how long a spray closes it.
create table round (
  id            bigint generated always as identity primary key,
  place         text not null,
  what          text not null check (what in ('water', 'weed', 'feed', 'mulch', 'spray', 'other')),
  note          text not null default '',
  every_days    int not null check (every_days between 1 and 400),
  reentry_hours int not null default 0 check (reentry_hours between 0 and 1000),
  from_day      date not null,
  ended_on      date,
  made_at       timestamptz not null
);
create table round_done (
  act       uuid primary key,
  round_id  bigint not null references round,
  at        timestamptz not null,
  person_id bigint not null references person,
  undone_at timestamptz
);
create index round_done_round on round_done (round_id, at desc);

-- A day on which walks were rained off.
create table rained_off (
  on_day    date primary key,
  person_id bigint not null references person,
  at        timestamptz not null
);

-- The house's own days of what follows.
create table knot_rule (
  rule      text primary key,
  from_days int not null,
  best_days int not null,
  by_days   int not null,
  check (from_days <= best_days and best_days <= by_days)
);
create constraint trigger knot_rule_raises after insert or update or delete on knot_rule deferrable initially deferred
  for each row execute function raise_revision('settings');

-- Secret addresses of calendars, of a person or of the house.
create table feed (
  id        bigint generated always as identity primary key,
  person_id bigint references person,
  hash      bytea not null unique,
  made_at   timestamptz not null,
  ended_at  timestamptz
);

-- Entries of calendars: their sequence rises when their days move.
create table feed_entry (
  uid      text primary key,
  from_day date not null,
  to_day   date not null,
  sequence int not null default 0
);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
