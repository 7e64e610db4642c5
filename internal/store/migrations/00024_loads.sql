-- +goose Up
-- A file is gone through and loaded behind the request that asked for it: how far it is
-- stands here, so that any server can say it, and end it.
create table load_run (
  load_id  bigint primary key references load,
  doing    text not null check (length(doing) <= 20 and doing in ('reading', 'loading', 'taking back')),
  beat_at  timestamptz not null,            -- the last sign of life, by the database's clock
  done     int not null default 0,
  of_rows  int not null default 0,
  stop     boolean not null default false,  -- somebody asked for it
  ended    boolean not null default false,
  failed   text not null default '' check (length(failed) <= 2000)
);
-- What a large file was seen to hold.
create table load_seen (load_id bigint primary key references load, seen jsonb not null, at timestamptz not null);
-- Cells that were mended in the preview.
create table load_mend (
  load_id bigint not null references load,
  line    int not null check (line > 0),
  field   text not null check (length(field) <= 100),
  value   text not null check (length(value) <= 2000),
  primary key (load_id, line, field)
);
-- What a load added, so that it can be taken back.
create table load_added (
  load_id bigint not null references load,
  key     text not null check (length(key) <= 120),
  primary key (load_id, key)
);
create table load_back (
  load_id   bigint primary key references load,
  person_id bigint not null references person,
  at        timestamptz not null,
  reason    text not null check (length(reason) <= 2000),
  taken     int not null,
  stayed    int not null
);

-- Lots, bundles and mother plants that came in with a load that was taken back are kept
-- under another code, as their ledgers are, and stand nowhere: stock_lot, wood_bundle and
-- mother_plant are those that stand.
alter table stock_lot rename to any_lot;
alter table any_lot add column taken_back_at timestamptz;
create view stock_lot as select id, code, stock_type_id, supplier, received_on, form, place, received, grade_low_mm, grade_high_mm, health,
  made_at, came_from_lot, failed_note, waits_until, waits_for, taper_mm from any_lot where taken_back_at is null;
alter table wood_bundle rename to any_bundle;
alter table any_bundle add column taken_back_at timestamptz;
create view wood_bundle as select id, code, plant_id, cut_on, state, sticks, length_mm, base_mm, tip_mm, internode_mm, blind_share,
  buds_per_piece, usable, pieces, place, made_at, sealed, marks, whole_shoot, face_buds, cut_late, part
  from any_bundle where taken_back_at is null;
alter table mother_plant rename to any_plant;
alter table any_plant add column taken_back_at timestamptz;
create view mother_plant as select id, code, variety_id, place, planted_year, seen_true_by, seen_true_on, health, licence, made_at, bundles,
  last_bundle_id, gives_sticks, bought from any_plant where taken_back_at is null;

-- A name that is erased goes from plants that were taken back too.
-- +goose StatementBegin
create or replace function erase_person(whom bigint, at timestamptz) returns text language plpgsql security definer
  set search_path = public, pg_temp as $$
declare
  old record;
  fresh text := 'Erased ' || whom;
begin
  select name, sign_in into strict old from person where id = whom and id not in (select person_id from erased) for update;
  perform set_config('unionknot.erasing', 'on', true);
  update change_record set ref = fresh where ref = old.name or ref = old.sign_in and what = 'person';
  update change_record set
      before = replace(before::text, to_json(old.name)::text, to_json(fresh)::text)::jsonb,
      after = replace(after::text, to_json(old.name)::text, to_json(fresh)::text)::jsonb
    where strpos(before::text, to_json(old.name)::text) > 0 or strpos(after::text, to_json(old.name)::text) > 0;
  update change_record set after = replace(after::text, to_json(old.sign_in)::text, to_json('erased-' || whom)::text)::jsonb
    where what = 'person' and strpos(after::text, to_json(old.sign_in)::text) > 0;
  update change_record set address = '' where person_id = whom and address <> '';
  perform set_config('unionknot.erasing', '', true);
  update any_plant set seen_true_by = fresh where seen_true_by = old.name;
  update person set name = fresh, sign_in = 'erased-' || whom, password_hash = null, pin_hash = null,
    left_on = coalesce(left_on, at::date) where id = whom;
  insert into erased values (whom, at);
  delete from sessions s where s.person_id = whom or s.tablet_by = whom;
  delete from door_code d where d.person_id = whom or d.made_by = whom;
  delete from door_try d where d.who in (old.name, old.sign_in, whom::text);
  return old.name;
end $$;
-- +goose StatementEnd

alter table load drop constraint if exists load_state_check;
alter table load add constraint load_state_check check (state in ('read', 'loaded', 'dropped', 'taken back'));

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
