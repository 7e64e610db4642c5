-- +goose Up
-- Trees of several unions: a standing tree that is grafted over, trees of several varieties,
-- and interstems. A limb is a pile to pairing: it has a lot of its own, whose stems are the places
-- where a graft can stand, and a stock type of its own, so that nothing else is woven to it. Its
-- grafts are the tags of its lot.
create table tree (
  id        bigint generated always as identity primary key,
  code      text not null unique check (length(code) <= 24),
  kind      text not null check (length(kind) <= 20 and kind in ('standing', 'family', 'interstem')),
  genus     text not null references genus check (length(genus) <= 60),
  stock     text not null check (length(stock) <= 60),      -- what its trunk is, in words
  place     text not null default '' check (length(place) <= 80),
  planted   int check (planted between 1700 and 2200),
  girth_mm  int check (girth_mm between 10 and 9000),        -- of the trunk
  trees     int not null default 1 check (trees between 1 and 100000), -- alike, that are begun
  wanted    int not null default 1 check (wanted between 1 and 100000),
  from_lot  bigint references any_lot,                      -- whose stems the trees stand on
  buyer     text not null default '' check (length(buyer) <= 120),
  note      text not null default '' check (length(note) <= 600),
  person_id bigint not null references person,
  made_at   timestamptz not null
);
create table limb (
  id         bigint generated always as identity primary key,
  tree_id    bigint not null references tree,
  letter     text not null check (length(letter) = 1 and letter ~ '^[A-Z]$'),
  name       text not null default '' check (length(name) <= 60),
  stock_type_id bigint not null references stock_type,
  lot_id     bigint not null references any_lot,
  nurse      boolean not null default false, -- left on to feed the tree until the others are grown
  -- As drawn, in thousandths of the drawing: where it leaves the trunk, from the ground up, and its
  -- tip, from the left and from the ground up.
  from_y     int not null check (from_y between 0 and 1000),
  tip_x      int not null check (tip_x between 0 and 1000),
  tip_y      int not null check (tip_y between 0 and 1000),
  height_cm  int check (height_cm between 1 and 3000),      -- of the union, from the trunk or the ground
  removed_on date,
  removed_why text not null default '' check (length(removed_why) <= 300),
  made_at    timestamptz not null,
  unique (tree_id, letter)
);
create unique index limb_stock on limb (stock_type_id);
create unique index limb_lot on limb (lot_id);
-- What was done on a limb, beside grafts and looks.
create table limb_act (
  id        uuid primary key,
  limb_id   bigint not null references limb,
  what      text not null check (length(what) <= 20 and what in ('kept best', 'tied off', 'spread', 'nurse off', 'headed', 'cleaned up')),
  n         int not null default 0 check (n >= 0),
  on_day    date not null,
  note      text not null default '' check (length(note) <= 300),
  person_id bigint not null references person,
  at        timestamptz not null,
  undone_at timestamptz
);
create index limb_act_limb on limb_act (limb_id);
alter table any_lot drop constraint stock_lot_form_check;
alter table any_lot add constraint stock_lot_form_check
  check (form in ('bare-root', 'potted', 'in the row', 'seedbed', 'root pieces', 'cuttings', 'limb'));

-- Live grafts that are cut off because a better one stands beside them: they took.
alter table tree_move drop constraint tree_move_what_check;
alter table tree_move add constraint tree_move_what_check check (what in ('lost', 'sold', 'planted', 'below', 'cut'));
-- +goose StatementBegin
create or replace function tree_sums(of bigint) returns void language sql as $$
  update any_tag t set lost_since = s.lost, gone = s.gone, gone_since = s.gone_since, below = s.below,
    standing = case when t.finished_at is null then 0 else s.alive - s.lost - s.gone_since end
  from (select coalesce(c.taken + c.doubtful, g.tied) as alive, coalesce(m.lost, 0) as lost, coalesce(m.gone, 0) as gone,
      coalesce(m.gone_since, 0) as gone_since, coalesce(m.below, 0) as below
    from tag g left join take_count c on c.id = g.look_id
    left join lateral (select sum(n) filter (where what = 'lost' and look = coalesce(c.look, '')) as lost,
      sum(n) filter (where what <> 'lost') as gone, sum(n) filter (where what <> 'lost' and look = coalesce(c.look, '')) as gone_since,
      sum(n) filter (where what in ('below', 'cut')) as below
      from tree_move x where x.tag_id = g.id and x.undone_at is null) m on true
    where g.id = of) s
  where t.id = of and (t.lost_since, t.gone, t.gone_since, t.below, t.standing) is distinct from (s.lost::int, s.gone::int,
    s.gone_since::int, s.below::int, (case when t.finished_at is null then 0 else s.alive - s.lost - s.gone_since end)::int)
$$;
-- +goose StatementEnd

-- Who pollinates whom: what is noted of a variety, and when it flowered.
create table variety_note (
  variety_id bigint primary key references variety,
  ploidy     int check (ploidy between 2 and 8),
  set_group  text not null default '' check (length(set_group) <= 40), -- those of one group do not set with each other
  sets_alone boolean,
  person_id  bigint not null references person,
  at         timestamptz not null
);
create table flowering (
  variety_id bigint not null references variety,
  year       int not null check (year between 1900 and 2200),
  first_on   date not null,
  last_on    date not null,
  person_id  bigint not null references person,
  at         timestamptz not null,
  primary key (variety_id, year),
  check (last_on >= first_on and last_on < first_on + 120)
);
-- Where places stand, in metres east and north of the yard: pollen does not reach from everywhere.
create table spot (
  place     text primary key check (length(place) between 1 and 80),
  east      double precision not null check (east between -20000 and 20000),
  north     double precision not null check (north between -20000 and 20000),
  person_id bigint not null references person,
  at        timestamptz not null
);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
