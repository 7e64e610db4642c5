-- +goose Up
-- Places with a temperature, what was read there, and what was seen.

create table store_place (
  id           bigint generated always as identity primary key,
  name         text not null check (btrim(name) <> ''),
  set_c        numeric(4,1) not null default 1 check (set_c between -10 and 20),
  low_c        numeric(4,1) not null default 0,
  high_c       numeric(4,1) not null default 4 check (high_c > low_c),
  fruit_since  date,                    -- ripening fruit is kept here too
  key_hash     bytea,                   -- of the logger's own key
  made_at      timestamptz not null
);
create unique index store_place_name on store_place (lower(name));

create table store_reading (
  place_id  bigint not null references store_place,
  at        timestamptz not null,
  c         numeric(5,2) not null check (c between -60 and 80),
  source    text not null check (source in ('by hand', 'file', 'logger', 'simulated logger')),
  person_id bigint references person,
  primary key (place_id, at)
);

-- A look at a whole place, or at one bundle.
create table store_look (
  id        bigint generated always as identity primary key,
  place_id  bigint references store_place,
  bundle_id bigint references wood_bundle,
  found     text not null check (found in ('sound', 'drying', 'too wet', 'mould', 'buds moving', 'frosted')),
  thrown    int not null default 0 check (thrown >= 0),
  note      text not null default '',
  person_id bigint not null references person,
  at        timestamptz not null,
  check ((place_id is null) <> (bundle_id is null))
);
create index store_look_place on store_look (place_id, at desc);
create index store_look_bundle on store_look (bundle_id, at desc);
create trigger store_look_kept before update or delete on store_look for each row execute function only_added_to();

-- Where a bundle was kept, and from when: wood ages by each place's own
-- temperature.
create table bundle_stay (
  bundle_id bigint not null references wood_bundle,
  since     timestamptz not null,
  place     text not null,
  primary key (bundle_id, since)
);
insert into bundle_stay select id, cut_on, place from wood_bundle;

create table lot_look (
  id        bigint generated always as identity primary key,
  lot_id    bigint not null references stock_lot,
  ready     text not null check (ready in ('ready', 'watch', 'not ready')),
  roots     text not null default '',
  bark      text not null default '',
  leaves    text not null default '',
  note      text not null default '',
  person_id bigint not null references person,
  at        timestamptz not null
);
create index lot_look_lot on lot_look (lot_id, at desc);
create trigger lot_look_kept before update or delete on lot_look for each row execute function only_added_to();

-- Stocks whose graft failed come back as a lot of their own.
alter table stock_lot add column came_from_lot bigint references stock_lot;
alter table stock_lot add column failed_note text not null default '';

alter table wood_bundle add column sealed boolean not null default false;
alter table wood_bundle add column marks text not null default '';   -- the marks of ripeness that were seen, ' · ' between them

create table plant_photo (
  id        bigint generated always as identity primary key,
  plant_id  bigint not null references mother_plant,
  kind      text not null check (kind in ('image/jpeg', 'image/png')),
  says      text not null default '',
  body      bytea not null check (length(body) <= 6000000),
  person_id bigint not null references person,
  at        timestamptz not null
);
create index plant_photo_plant on plant_photo (plant_id, id);

-- What the label printer was sent.
create table label_print (
  id        bigint generated always as identity primary key,
  title     text not null,
  labels    int not null check (labels > 0),
  pdf       bytea not null,
  person_id bigint not null references person,
  at        timestamptz not null
);

alter table load drop constraint load_kind_check;
alter table load add constraint load_kind_check check (kind in ('lots', 'readings', 'plants', 'bundles', 'orders', 'store'));

-- What to look for when cutting wood of a genus.
alter table genus add column cut_note text not null default '';
update genus set cut_note = n from (values
 ('apple','last season''s straight shoots, pencil thick; leaf buds lie flat, flower buds are fat and downy'),
 ('pear','last season''s shoots from the sunny side; leave spurs with fat flower buds'),
 ('quince','firm shoots of last season; the tips are soft and flower, cut well below them'),
 ('medlar','short firm shoots; keep clear of the end bud, which flowers'),
 ('hawthorn','straight shoots without thorn spurs'),
 ('plum','look for a second bud beside the first; round single buds flower'),
 ('cherry','leaf buds are narrow and lie close; fat ones in clusters flower'),
 ('apricot','ripe firm shoots with pairs of buds; cut in deep rest'),
 ('peach','triple buds: the middle one is the leaf bud'),
 ('walnut','close nodes, small pith: cut where the pith is under a third of the width; no catkin buds'),
 ('chestnut','round firm shoots; keep clear of catkin buds toward the tip'),
 ('hazel','straight shoots without catkins'),
 ('mulberry','ripe brown shoots, buds plump and not yet green'),
 ('maple','thin firm shoots with opposite buds; both buds of a pair sound'),
 ('rose','shoots that have flowered, thorns snap off clean'),
 ('wisteria','last season''s wood below the flower buds, which are fat and blunt'),
 ('grape','round canes, close joints, small pith, brown to the core'),
 ('persimmon','firm shoots with dark plump buds'),
 ('citrus','round twigs of the last flush but one, no angles left'),
 ('kiwifruit','firm canes; check male or female plant by its label'),
 ('durian','side shoots with plump scaly buds, leaves just hardened'),
 ('pawpaw','leaf buds are narrow and pointed; flower buds are round and furry')) v(k, n) where genus.key = v.k;

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
