-- +goose Up
-- Tags are dropped, never deleted: any_tag has them all, and the view tag those that
-- stand. Taps say who tapped, on which device and in which order, so that what counts
-- is weighed anew whenever more of them come in, whatever the order in which they do.

alter table tag rename to any_tag;
alter table any_tag add column dropped_at timestamptz;
alter table any_tag add column dropped_by bigint references person;
-- The newest tap by its device, and whether there is more to weigh than the sums tell:
-- taps that do not count.
alter table any_tag add column last_device text not null default '';
alter table any_tag add column last_no bigint not null default 0;
alter table any_tag add column last_at timestamptz;
alter table any_tag add column tangled boolean not null default false;
update any_tag t set last_at = x.at, tangled = x.held from
  (select tag_id, max(at) as at, bool_or(held is not null) as held from tally group by 1) x where x.tag_id = t.id;

create view tag as select id, code, batch_id, lot_id, bundle_id, technique, worker_id, day, planned, started_at, finished_at, heal_place,
  look_id, half, locked, against, tied, spoiled_stock, spoiled_wood, dropped, set_aside, since_wipe, refused, stock_back, wood_back,
  stock_low, stock_high, wood_low, wood_high, mismatch, pace_hours, first_id, buds, tier_id, standing, lost_since, gone, gone_since,
  cover, form from any_tag where dropped_at is null;

-- +goose StatementBegin
create or replace function batch_tagged() returns trigger language plpgsql as $$
begin
  if tg_op <> 'INSERT' and old.dropped_at is null then
    update batch set tagged = tagged - old.planned where id = old.batch_id;
  end if;
  if tg_op <> 'DELETE' and new.dropped_at is null then
    update batch set tagged = tagged + new.planned where id = new.batch_id;
  end if;
  return null;
end $$;
-- +goose StatementEnd
drop trigger tag_counts_on_batch on any_tag;
create trigger tag_counts_on_batch after insert or delete or update of planned, batch_id, dropped_at
  on any_tag for each row execute function batch_tagged();

alter table tally drop constraint tally_undoes_fkey;   -- an undo may come in before its tap
drop index tally_undone_once;                          -- the weighing sees to it
create index tally_undoes on tally (undoes) where undoes is not null;
alter table tally add column device text not null default '';
alter table tally add column no bigint not null default 0;   -- counted on the device
alter table tally add column sent_by bigint references person;
alter table tally add column theirs boolean not null default true;   -- the tag was its worker's when it came in
alter table tally add column counts_on bigint references any_tag;    -- another tag, by the propagator
alter table tally add column settled text check (settled in ('counted', 'left'));
alter table tally add column settled_by bigint references person;
alter table tally add column settled_at timestamptz;
drop index tally_tag;
create index tally_tag on tally (coalesce(counts_on, tag_id), received_at, id);
create index tally_waits on tally (received_at) where held is not null and settled is null;
drop trigger tally_kept on tally;
update tally set held = case held
  when 'the tap to take back is not known here' then 'unknown tap' when 'it was taken back already' then 'taken back'
  when 'it did not count in the first place' then 'did not count' when 'the tag is finished: take the finish back first' then 'finish first'
  when 'its takes are counted already' then 'takes counted' when 'the tag is finished' then 'finished'
  when 'more than was laid out' then 'more than laid' when 'no stock is left on the bench for this tag' then 'no stock'
  when 'no wood is left on the bench for this tag' then 'no wood' else held end where held is not null;
-- +goose StatementBegin
create function tally_kept() returns trigger language plpgsql as $$
begin
  if tg_op = 'DELETE' or (new.id, new.tag_id, new.person_id, new.kind, new.n, new.undoes, new.at, new.received_at, new.device, new.no,
      new.sent_by, new.theirs) is distinct from (old.id, old.tag_id, old.person_id, old.kind, old.n, old.undoes, old.at, old.received_at,
      old.device, old.no, old.sent_by, old.theirs) then
    raise exception 'taps are only added to' using errcode = 'restrict_violation';
  end if;
  return new;
end $$;
-- +goose StatementEnd
create trigger tally_kept before update or delete on tally for each row execute function tally_kept();

-- What was tapped is in tap; tally is what a server of the release before reads and
-- writes of it.
alter table tally rename to tap;
create view tally as select id, tag_id, person_id, kind, n, undoes, at, received_at, held from tap;

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
