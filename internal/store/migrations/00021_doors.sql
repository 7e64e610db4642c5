-- +goose Up
-- No text grows without bound. 2,000 letters are more than any field is for; those that
-- hold less say so in the form. Rows from before are left alone until they are changed.
-- +goose StatementBegin
do $$
declare c record;
begin
  for c in
    select k.relname as tab, a.attname as col
    from pg_attribute a join pg_class k on k.oid = a.attrelid
    where k.relnamespace = 'public'::regnamespace and k.relkind = 'r' and k.relname not like 'goose%'
      and a.attnum > 0 and not a.attisdropped and a.atttypid = 'text'::regtype
      and not exists (select 1 from pg_constraint x where x.conrelid = k.oid and x.contype = 'c'
        and a.attnum = any (x.conkey) and pg_get_constraintdef(x.oid) like '%length(%')
    order by 1, 2
  loop
    execute format('alter table %I add constraint %I check (length(%I) <= 2000) not valid',
      c.tab, left(c.tab || '_' || c.col, 55) || '_letters', c.col);
  end loop;
end $$;
-- +goose StatementEnd

-- What is only added to is not emptied either. Only the erasing of a person's name passes,
-- and that only by the owner of the tables.
-- +goose StatementBegin
create or replace function only_added_to() returns trigger language plpgsql as $$
begin
  if tg_op = 'UPDATE' and current_setting('unionknot.erasing', true) = 'on'
    and current_user = (select relowner::regrole::text from pg_class where oid = tg_relid) then
    return new;
  end if;
  raise exception '% is only added to', tg_table_name using errcode = 'restrict_violation';
end $$;
-- +goose StatementEnd
-- +goose StatementBegin
do $$
declare t text;
begin
  for t in
    select distinct tgrelid::regclass::text from pg_trigger
    where not tgisinternal and tgfoid in ('only_added_to()'::regprocedure, 'tally_kept()'::regprocedure)
  loop
    execute format('create trigger never_emptied before truncate on %s for each statement execute function only_added_to()', t);
  end loop;
end $$;
-- +goose StatementEnd

-- A file that was not loaded, and one long since loaded, is kept by name and sum alone.
update load set body = '' where state = 'dropped';

-- Pictures hold nothing but the picture: no place, no camera, no hour.
-- (Tables of their own, here and below: a server of the release before reads whole rows.)
create table plain_photo (photo_id bigint primary key references plant_photo on delete cascade);

-- Whoever wants it is erased: the name goes, everywhere; what they did stays, by number.
create table erased (person_id bigint primary key references person, at timestamptz not null);

-- +goose StatementBegin
create function erase_person(whom bigint, at timestamptz) returns text language plpgsql security definer
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
  update mother_plant set seen_true_by = fresh where seen_true_by = old.name;
  update person set name = fresh, sign_in = 'erased-' || whom, password_hash = null, pin_hash = null,
    left_on = coalesce(left_on, at::date) where id = whom;
  insert into erased values (whom, at);
  delete from sessions s where s.person_id = whom or s.tablet_by = whom;
  delete from door_code d where d.person_id = whom or d.made_by = whom;
  delete from door_try d where d.who in (old.name, old.sign_in, whom::text);
  return old.name;
end $$;
-- +goose StatementEnd
revoke all on function erase_person(bigint, timestamptz) from public;

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
