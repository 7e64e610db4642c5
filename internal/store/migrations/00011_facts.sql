-- +goose Up
-- Facts read once: what changes seldom has a revision, sums are kept where they
-- are cheap to keep right, and the ledgers' reasons are codes.

-- A revision rises once in each transaction that changes what it stands for. It
-- is raised at the commit, so that nobody waits for another's work on it.
create table revision (
  kind text primary key,
  n    bigint not null default 1
);
insert into revision (kind) values ('settings'), ('season'), ('people'), ('takes'), ('paces');

-- +goose StatementBegin
create function raise_revision() returns trigger language plpgsql as $$
declare
  mark text := 'unionknot.raised_' || tg_argv[0];
begin
  if current_setting(mark, true) is distinct from txid_current()::text then
    update revision set n = n + 1 where kind = tg_argv[0];
    perform set_config(mark, txid_current()::text, true);
  end if;
  return null;
end $$;
do $$
declare
  t text[];
begin
  foreach t slice 1 in array array[
    array['house', 'settings'], array['technique', 'settings'], array['house_way', 'settings'], array['tie', 'settings'],
    array['healing_way', 'settings'], array['genus', 'settings'], array['cause', 'settings'], array['genus_section', 'settings'],
    array['section_pair', 'settings'], array['compatibility', 'settings'], array['station', 'settings'],
    array['season_group', 'season'], array['season_anchor', 'season'], array['site_normal', 'season'], array['weather_day', 'season'],
    array['season_seen', 'season'],
    array['person_hours', 'people'], array['person_skill', 'people'], array['person_away', 'people'], array['hand_stray', 'people'],
    array['take_count', 'takes']]
  loop
    execute format('create constraint trigger %I after insert or update or delete on %I deferrable initially deferred
      for each row execute function raise_revision(%L)', t[1] || '_raises', t[1], t[2]);
  end loop;
end $$;
-- +goose StatementEnd
-- Wrong tries at the door change nothing that is planned.
create constraint trigger person_raises after insert or delete or update of name, sign_in, role, left_on, hours_set, skills_set,
  pin_hash on person
  deferrable initially deferred for each row execute function raise_revision('people');

-- A place's readings, by their own revision.
alter table store_place add column rev bigint not null default 1;
-- +goose StatementBegin
create function raise_place() returns trigger language plpgsql as $$
declare
  place bigint := coalesce(new.place_id, old.place_id);
  mark text := 'unionknot.raised_place_' || place;
begin
  if current_setting(mark, true) is distinct from txid_current()::text then
    update store_place set rev = rev + 1 where id = place;
    perform set_config(mark, txid_current()::text, true);
  end if;
  return null;
end $$;
-- +goose StatementEnd
create constraint trigger store_reading_raises after insert or update or delete on store_reading
  deferrable initially deferred for each row execute function raise_place();

-- What was tapped on a tag, added up, and what was laid out for it. The taps
-- stay the record; a test holds the sums to them.
alter table tag add column tied int not null default 0;
alter table tag add column spoiled_stock int not null default 0;
alter table tag add column spoiled_wood int not null default 0;
alter table tag add column dropped int not null default 0;
alter table tag add column set_aside int not null default 0;
alter table tag add column since_wipe int not null default 0;
alter table tag add column refused int not null default 0;      -- taps kept that do not count
alter table tag add column stock_back int not null default 0;   -- of the stems planned, no longer on the bench and not grafted
alter table tag add column wood_back int not null default 0;
alter table tag add column stock_low numeric(5,2) not null default 0;              -- bounds of the classes laid out
alter table tag add column stock_high numeric(5,2) not null default 0;
alter table tag add column wood_low numeric(5,2) not null default 0;
alter table tag add column wood_high numeric(5,2) not null default 0;
alter table tag add column mismatch float8 not null default 0;  -- |1 − wood ÷ stock| over what was laid out
alter table tag add column pace_hours float8 check (pace_hours > 0); -- from first tap to finish, where it says something of the pace

update tag t set stock_low = h.sl, stock_high = h.sh, wood_low = h.wl, wood_high = h.wh, mismatch = h.m
from (select tag_id, min(stock_mm) - 0.25 as sl, max(stock_mm) + 0.25 as sh, min(wood_mm) - 0.25 as wl, max(wood_mm) + 0.25 as wh,
    sum(n * abs(1 - wood_mm / stock_mm)) / sum(n) as m from tag_thread group by 1) h where h.tag_id = t.id;
with good as (
  select y.* from tally y where y.held is null and y.kind <> 'undo' and not exists (select 1 from tally u where u.undoes = y.id
    and u.held is null)),
wiped as (select tag_id, max(at) as at from good where kind in ('wiped', 'new blade') group by 1),
s as (
  select g.tag_id, coalesce(sum(n) filter (where kind = 'tied'), 0) as tied, coalesce(sum(n) filter (where kind = 'spoiled stock'),
    0) as spoiled_stock,
    coalesce(sum(n) filter (where kind = 'spoiled wood'), 0) as spoiled_wood, coalesce(sum(n) filter (where kind = 'dropped'),
      0) as dropped,
    coalesce(sum(n) filter (where kind = 'set aside'), 0) as set_aside,
    coalesce(sum(n) filter (where kind = 'tied' and (w.at is null or g.at > w.at)), 0) as since_wipe,
    extract(epoch from coalesce(max(g.at) filter (where kind = 'finish'), max(t.finished_at)) - least(max(t.started_at),
      min(g.at))) / 3600 as hours
  from good g join tag t on t.id = g.tag_id left join wiped w on w.tag_id = g.tag_id group by 1)
update tag t set tied = s.tied, spoiled_stock = s.spoiled_stock, spoiled_wood = s.spoiled_wood, dropped = s.dropped,
  set_aside = s.set_aside, since_wipe = s.since_wipe,
  pace_hours = case when t.finished_at is not null and s.tied >= 5 and s.hours between 4 / 60.0 and 5 then s.hours end
from s where s.tag_id = t.id;
update tag t set refused = x.n from (select tag_id, count(*) as n from tally where held is not null and kind <> 'undo' group by 1) x
  where x.tag_id = t.id;
update tag t set stock_back = x.n from (select tag_id, sum(case when from_account = 'aside' then n else -n end) as n from stock_ledger
  where tag_id is not null and (from_account = 'aside' and to_account <> 'grafted' or to_account = 'aside' and from_account <> 'grafted')
    group by 1) x where x.tag_id = t.id;
update tag t set wood_back = x.n from (select tag_id, sum(case when from_account = 'aside' then n else -n end) as n from wood_ledger
  where tag_id is not null and (from_account = 'aside' and to_account <> 'grafted' or to_account = 'aside' and from_account <> 'grafted')
    group by 1) x where x.tag_id = t.id;

-- How many of a batch's grafts are on tags. Whoever makes or drops tags holds
-- the batch, so nobody waits here.
alter table batch add column tagged int not null default 0;
update batch b set tagged = x.n from (select batch_id, sum(planned) as n from tag group by 1) x where x.batch_id = b.id;
-- A column of its own, so that the database knows how few have any left.
alter table batch add column untagged int not null generated always as (greatest(grafts - tagged, 0)) stored;
create index batch_untagged on batch (id) where undone_at is null and untagged > 0;
-- +goose StatementBegin
create function batch_tagged() returns trigger language plpgsql as $$
begin
  if tg_op <> 'INSERT' then
    update batch set tagged = tagged - old.planned where id = old.batch_id;
  end if;
  if tg_op <> 'DELETE' then
    update batch set tagged = tagged + new.planned where id = new.batch_id;
  end if;
  return null;
end $$;
-- +goose StatementEnd
create trigger tag_counts_on_batch after insert or delete or update of planned,
  batch_id on tag for each row execute function batch_tagged();

-- Pace by worker, month and technique: how many tags and grafts, in how many
-- hours, and the logarithms of grafts an hour, to know how tags differ.
create table pace_sum (
  worker_id bigint not null references person,
  month     date not null,
  technique text not null references technique,
  tags      int not null,
  grafts    float8 not null,
  hours     float8 not null,
  log_sum   float8 not null,
  log_sq    float8 not null,
  primary key (worker_id, month, technique)
);
insert into pace_sum select worker_id, date_trunc('month', day)::date, technique, count(*), sum(tied), sum(pace_hours),
  sum(ln(tied / pace_hours)), sum(ln(tied / pace_hours) ^ 2)
  from tag where pace_hours is not null and tied > 0 group by 1, 2, 3;
-- +goose StatementBegin
create function pace_add(t tag, sign int) returns void language sql as $$
  insert into pace_sum as p (worker_id, month, technique, tags, grafts, hours, log_sum, log_sq)
    select t.worker_id, date_trunc('month', t.day)::date, t.technique, sign, sign * t.tied, sign * t.pace_hours,
      sign * ln(t.tied / t.pace_hours), sign * ln(t.tied / t.pace_hours) ^ 2
    where t.pace_hours is not null and t.tied > 0
  on conflict (worker_id, month, technique) do update set tags = p.tags + excluded.tags, grafts = p.grafts + excluded.grafts,
    hours = p.hours + excluded.hours,
    log_sum = p.log_sum + excluded.log_sum, log_sq = p.log_sq + excluded.log_sq;
$$;
create function pace_moves() returns trigger language plpgsql as $$
begin
  if tg_op = 'UPDATE' then
    if old.pace_hours is not distinct from new.pace_hours and (new.pace_hours is null or old.tied = new.tied
      and old.worker_id = new.worker_id) then
      return null;
    end if;
    perform pace_add(old, -1);
  end if;
  perform pace_add(new, 1);
  return null;
end $$;
-- +goose StatementEnd
create constraint trigger tag_made_paces after insert on tag deferrable initially deferred
  for each row when (new.pace_hours is not null) execute function pace_moves();
create constraint trigger tag_paces after update of pace_hours, tied, worker_id on tag deferrable initially deferred
  for each row when (old.pace_hours is not null or new.pace_hours is not null) execute function pace_moves();
create constraint trigger pace_sum_raises after insert or update or delete on pace_sum
  deferrable initially deferred for each row execute function raise_revision('paces');

-- Keys pressed alone can be turned off by each person.
alter table person add column keys_off boolean not null default false;
drop trigger person_raises on person;
create constraint trigger person_raises after insert or delete or update of name, sign_in, role, left_on, hours_set, skills_set, pin_hash,
  keys_off on person
  deferrable initially deferred for each row execute function raise_revision('people');

-- An order is open until it is closed, however late it is.
alter table orders add column closed_on date;
update orders set closed_on = due_on where due_on < coalesce((select demo_day from house), current_date) - interval '1 month';
create index orders_open on orders (due_on, priority, id) where closed_on is null;

-- The bundle cut last of each mother plant, and how many there were.
alter table mother_plant add column bundles int not null default 0;
alter table mother_plant add column last_bundle_id bigint references wood_bundle;
update mother_plant m set bundles = x.n, last_bundle_id = x.last
from (select distinct on (plant_id) plant_id, count(*) over (partition by plant_id) as n, id as last from wood_bundle order by plant_id,
  cut_on desc, id desc) x where x.plant_id = m.id;
-- +goose StatementBegin
create function bundle_was_cut() returns trigger language plpgsql as $$
begin
  update mother_plant m set bundles = bundles + 1,
    last_bundle_id = (select b.id from wood_bundle b where b.plant_id = m.id order by b.cut_on desc, b.id desc limit 1)
      where m.id = new.plant_id;
  return null;
end $$;
-- +goose StatementEnd
create trigger wood_bundle_cut after insert on wood_bundle for each row execute function bundle_was_cut();
create index wood_bundle_last on wood_bundle (plant_id, cut_on desc, id desc);

create index wood_live on wood_balance (bundle_id) where account in ('free', 'aside') and n > 0;

-- The ledgers' reasons are codes, with a note beside them.
alter table stock_ledger add column note text not null default '';
alter table wood_ledger add column note text not null default '';
alter table stock_ledger disable trigger stock_ledger_kept;
alter table wood_ledger disable trigger wood_ledger_kept;
-- +goose StatementBegin
create function pg_temp.coded(reason text, out code text, out note text) language sql as $$
  select case
      when reason in ('received', 'cut', 'grafted', 'finish taken back', 'batch taken back') then reason
      when reason = 'set aside for a batch' then 'set aside'
      when reason = 'spoiled at the bench' then 'spoiled'
      when reason = 'spoiled, taken back' then 'spoiled taken back'
      when reason = 'handed back from the bench' then 'handed back'
      when reason = 'left over when the tag was finished' then 'left over'
      when reason = 'drawn anew, to cut again' then 'drawn anew'
      when reason like 'recount: %' then 'recount'
      when reason like 'graft failed, came back as %' then 'came back'
      when reason like 'thrown out: %' then 'thrown out'
      when reason ~ '^[0-9]+ sticks dropped at cutting$' then 'dropped at cutting'
      else 'by hand' end,
    case
      when reason like 'recount: %' then substring(reason from 10)
      when reason like 'graft failed, came back as %' then substring(reason from 28)
      when reason like 'thrown out: %' then substring(reason from 13)
      when reason ~ '^[0-9]+ sticks dropped at cutting$' then substring(reason from '^[0-9]+')
      when reason in ('received', 'cut', 'grafted', 'finish taken back', 'batch taken back', 'set aside for a batch',
        'spoiled at the bench', 'spoiled, taken back',
        'handed back from the bench', 'left over when the tag was finished', 'drawn anew, to cut again') then ''
      else reason end
$$;
-- +goose StatementEnd
update stock_ledger l set reason = c.code, note = c.note from (select id, (pg_temp.coded(reason)).* from stock_ledger) c where c.id = l.id;
update wood_ledger l set reason = c.code, note = c.note from (select id, (pg_temp.coded(reason)).* from wood_ledger) c where c.id = l.id;
alter table stock_ledger enable trigger stock_ledger_kept;
alter table wood_ledger enable trigger wood_ledger_kept;
alter table stock_ledger add constraint stock_ledger_reason check (reason in ('received', 'set aside', 'batch taken back', 'grafted',
  'finish taken back', 'spoiled',
  'spoiled taken back', 'handed back', 'left over', 'drawn anew', 'recount', 'came back', 'by hand'));
alter table wood_ledger add constraint wood_ledger_reason check (reason in ('cut', 'set aside', 'batch taken back', 'grafted',
  'finish taken back', 'spoiled',
  'spoiled taken back', 'handed back', 'left over', 'drawn anew', 'thrown out', 'dropped at cutting', 'by hand'));

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
