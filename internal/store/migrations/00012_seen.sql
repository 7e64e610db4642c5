-- +goose Up
-- A lot or a bundle that was seen to be unfit, let in all the same: by whom and
-- why. It stands until the next look.
create table let_in (
  id        bigint generated always as identity primary key,
  lot_id    bigint references stock_lot,
  bundle_id bigint references wood_bundle,
  gates     text not null check (gates <> ''),   -- what it is let through, commas between
  why       text not null check (why <> ''),
  person_id bigint not null references person,
  at        timestamptz not null,
  check ((lot_id is null) <> (bundle_id is null))
);
create index let_in_lot on let_in (lot_id, id desc) where lot_id is not null;
create index let_in_bundle on let_in (bundle_id, id desc) where bundle_id is not null;
create trigger let_in_kept before update or delete on let_in for each row execute function only_added_to();

-- Stems that were lifted, potted, heeled in or lined out: their form and place
-- change. Part of a lot becomes a lot of its own.
create table lot_move (
  id         bigint generated always as identity primary key,
  lot_id     bigint not null references stock_lot,
  doing      text not null check (doing in ('lifted', 'potted', 'heeled in', 'lined out')),
  n          int not null check (n > 0),
  new_lot_id bigint references stock_lot,
  from_form  text not null,
  from_place text not null,
  to_form    text not null,
  to_place   text not null,
  person_id  bigint not null references person,
  at         timestamptz not null
);
create index lot_move_lot on lot_move (lot_id, id desc);
create trigger lot_move_kept before update or delete on lot_move for each row execute function only_added_to();
alter table stock_ledger drop constraint stock_ledger_reason;
alter table stock_ledger add constraint stock_ledger_reason check (reason in ('received', 'set aside', 'batch taken back', 'grafted',
  'finish taken back', 'spoiled', 'spoiled taken back', 'handed back', 'left over', 'drawn anew', 'recount', 'came back', 'by hand',
  'lifted', 'potted', 'heeled in', 'lined out'));

-- Takes are of the first look, whatever died later: that look beside the one
-- that stands.
alter table tag add column first_id uuid references take_count;
create index tag_first on tag (first_id) where first_id is not null;
update tag t set first_id = c.id from take_count c where c.tag_id = t.id and c.look = 'first look'
  and not exists (select 1 from take_count r where r.replaces_id = c.id);
-- +goose StatementBegin
create function first_look_stands() returns trigger language plpgsql as $$
begin
  if new.look = 'first look' then
    update tag set first_id = new.id where id = new.tag_id;
  end if;
  return null;
end $$;
-- +goose StatementEnd
create trigger take_count_is_first after insert on take_count for each row execute function first_look_stands();

-- Labels of wood to cut: a code that was printed belongs to its plant until the
-- wood is keyed in or the label is dropped, and to no other ever after.
create table wood_label (
  code      text primary key check (code ~ '^[A-Z0-9][A-Z0-9.-]{0,23}$'),
  plant_id  bigint not null references mother_plant,
  sticks    int not null check (sticks > 0),
  buds      int not null,
  person_id bigint not null references person,
  at        timestamptz not null,
  bundle_id bigint references wood_bundle,
  dropped_at timestamptz,
  check (bundle_id is null or dropped_at is null)
);
create unique index wood_label_waits on wood_label (plant_id) where bundle_id is null and dropped_at is null;

-- Codes of tags that were dropped: a label may bear them, so no other tag does.
create table code_gone (
  code     text primary key,
  batch_id bigint not null references batch,
  at       timestamptz not null default now()
);
-- +goose StatementBegin
create function tag_code_gone() returns trigger language plpgsql as $$
begin
  insert into code_gone (code, batch_id) values (old.code, old.batch_id) on conflict (code) do nothing;
  return null;
end $$;
-- +goose StatementEnd
create trigger tag_code_goes after delete on tag for each row execute function tag_code_gone();

-- What a mother plant gives in a season, by whoever judged its size.
alter table mother_plant add column gives_sticks int check (gives_sticks between 0 and 100000);

-- More questions on which good growers differ.
insert into house_way (key, sort, question, options, chosen, why)
select k, n, q, o, split_part(o, ' · ', 1), w from (values
 ('tongue',20,'Tongue','from a third below the tip · from half-way','longer cambium beside it; half-way holds where wood is soft'),
 ('cut first',21,'Cut first','stock · bud','the second is fitted to the first'),
 ('round the chip',22,'Round the chip','even rim of stock cut left showing · filled',
   'the rim callusses over, and shows that the chip is centred'),
 ('binding',23,'Binding','from below up · up and back down · from the top','water runs off the laps'),
 ('time in the pot',24,'Time in the pot','not over a winter · one year · two years','roots that circle'),
 ('wood for chips',25,'Wood for chips','last season''s · up to two years','younger buds start surer'),
 ('order of species in budding',26,'Order of species in budding','as windows shut · fixed by the house','none is missed')
) v(k, n, q, o, w);
update house_way set options = 'by genus · cold box · cool room · warm union · pot at once', chosen = case when chosen = 'cold box' then
  'by genus'
  else chosen end where key = 'callusing';
update house_way set
  options = 'bud again at once on the other side, then next bench · summer bud, then bench again · bench again · discard',
  why = 'bark that still slips costs nothing to try' where key = 'failed stocks';

-- Stocks whose graft failed wait for their second chance, until the day from which
-- it can be.
alter table stock_lot add column waits_until date;
alter table stock_lot add column waits_for text not null default '';

-- How much thinner a lot's stems are for each cm above the usual cut, and what it
-- was worked out from.
alter table stock_lot add column taper_mm numeric(5,3) check (taper_mm > 0 and taper_mm < 5);
create table lot_taper (
  id        bigint generated always as identity primary key,
  lot_id    bigint not null references stock_lot,
  per_cm    numeric(5,3) not null,
  low       numeric(5,3) not null,
  high      numeric(5,3) not null,
  stems     int not null,             -- calipered at both heights; 0: entered
  cm        numeric(4,1) not null,    -- between the heights
  pairs     text not null default '', -- as they were typed
  person_id bigint not null references person,
  at        timestamptz not null
);
create index lot_taper_lot on lot_taper (lot_id, id desc);
create trigger lot_taper_kept before update or delete on lot_taper for each row execute function only_added_to();

-- Bought or swapped wood may come without its plant or its day: its source stands
-- for the plant, and its age is a range.
alter table mother_plant add column bought boolean not null default false;
alter table wood_bundle add column cut_late date;          -- the last day on which it can have been cut; null: cut_on is known
alter table wood_bundle add column part text not null default '' check (part in ('', 'base', 'middle', 'outer'));  -- of the shoot
alter table wood_bundle add constraint wood_bundle_cut_late check (cut_late >= cut_on);

-- More forms of stock, worked on the bench.
alter table stock_lot drop constraint stock_lot_form_check;
alter table stock_lot add constraint stock_lot_form_check check (form in ('bare-root', 'potted', 'in the row', 'root pieces', 'cuttings'));

-- An oval stem keeps two diameters: mm is their mean, wide_mm the wider.
alter table caliper_reading add column wide_mm numeric(5,2) check (wide_mm >= mm);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
