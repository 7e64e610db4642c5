-- +goose Up
-- Two buds a stock, and pairs of a cutter and a tier.

-- How many buds each stock gets, as the house did it when the batch was made.
alter table batch_thread add column buds int not null default 1 check (buds in (1, 2));
alter table tag add column buds int not null default 1 check (buds in (1, 2));

-- Of a look at stocks with two buds: how many stocks have both alive. What was
-- joined is counted by the bud, what makes a tree by the stock.
alter table take_count add column buds int not null default 1 check (buds in (1, 2));
alter table take_count add column both_live int not null default 0 check (both_live >= 0 and both_live <= taken and (buds = 2 or
  both_live = 0));
alter table take_count add column joins int not null generated always as ((taken + doubtful + dead) * buds) stored;
alter table take_count add column joins_taken int not null generated always as (taken + both_live) stored;
alter table take_count add column joins_dead int not null
  generated always as ((taken + doubtful + dead) * buds - (taken + both_live) - doubtful) stored;

-- Who tied what the worker cut; nobody where the worker did both.
alter table tag add column tier_id bigint references person check (tier_id <> worker_id);
create index tag_tier_day on tag (tier_id, day, id) where tier_id is not null;

-- A worker's pace is of buds and grafts made alone: a pair's is not one worker's.
-- +goose StatementBegin
create or replace function pace_add(t tag, sign int) returns void language sql as $$
  insert into pace_sum as p (worker_id, month, technique, tags, grafts, hours, log_sum, log_sq)
    select t.worker_id, date_trunc('month', t.day)::date, t.technique, sign, sign * t.tied * t.buds, sign * t.pace_hours,
      sign * ln(t.tied * t.buds / t.pace_hours), sign * ln(t.tied * t.buds / t.pace_hours) ^ 2
    where t.pace_hours is not null and t.tied > 0 and t.tier_id is null
  on conflict (worker_id, month, technique) do update set tags = p.tags + excluded.tags, grafts = p.grafts + excluded.grafts,
    hours = p.hours + excluded.hours,
    log_sum = p.log_sum + excluded.log_sum, log_sq = p.log_sq + excluded.log_sq;
$$;
create or replace function pace_moves() returns trigger language plpgsql as $$
begin
  if tg_op = 'UPDATE' then
    if old.pace_hours is not distinct from new.pace_hours and (new.pace_hours is null or old.tied = new.tied
      and old.worker_id = new.worker_id and old.tier_id is not distinct from new.tier_id) then
      return null;
    end if;
    perform pace_add(old, -1);
  end if;
  perform pace_add(new, 1);
  return null;
end $$;
-- +goose StatementEnd
drop trigger tag_paces on tag;
create constraint trigger tag_paces after update of pace_hours, tied, worker_id, tier_id on tag deferrable initially deferred
  for each row when (old.pace_hours is not null or new.pace_hours is not null) execute function pace_moves();

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
