-- +goose Up
-- A count starts from what stood after the count before it. stood is how many that were; found is how
-- many that an earlier count gave as dead were alive after all; missed is what was in none of the three.
-- Missed grafts still stand: nobody has said that they are dead. What stands of a tag is always what was
-- tied, less what was lost and what went.
alter table take_count add column stood int check (stood >= 0);
alter table take_count add column found int not null default 0 check (found >= 0);
alter table any_tag add column dead int not null default 0; -- by all counts that stand, less what a later one found alive after all
alter table any_tag add column lost int not null default 0; -- ever: by counts that stand, and between them
create or replace view graded_tag as select * from any_tag where dropped_at is null;

alter table take_count disable trigger take_count_kept;
update take_count set stood = taken + doubtful + dead;
-- +goose StatementBegin
-- Until now a later count said what had died since tying on some pages, and since the count before on
-- others. Each is laid on what stood before it; its causes keep what is not an earlier count's.
do $$
declare
  t record;
  c record;
  x record;
  left_n int;
  base int;
  was int;
  held int;
begin
  for t in select id, tied from any_tag where look_id is not null or first_id is not null loop
    base := t.tied - coalesce((select sum(n) from tree_move where tag_id = t.id and look = '' and undone_at is null), 0);
    for c in select k.* from take_count k where k.tag_id = t.id and not exists (select 1 from take_count r where r.replaces_id = k.id)
        order by look_rank(k.look) loop
      if c.taken + c.doubtful + c.dead > base then
        if c.taken + c.doubtful > base then
          update take_count set stood = base, found = c.taken + c.doubtful - base, dead = 0 where id = c.id;
          left_n := 0;
        else
          left_n := base - c.taken - c.doubtful;
          update take_count set stood = base, dead = left_n where id = c.id;
        end if;
        for x in select cause, n from count_cause where count_id = c.id order by n desc, cause loop
          was := coalesce((select sum(y.n) from count_cause y join take_count e on e.id = y.count_id where e.tag_id = t.id
            and y.cause = x.cause and look_rank(e.look) < look_rank(c.look)
            and not exists (select 1 from take_count r where r.replaces_id = e.id)), 0);
          held := least(greatest(x.n - was, 0), left_n);
          if held > 0 then
            update count_cause set n = held where count_id = c.id and cause = x.cause;
          else
            delete from count_cause where count_id = c.id and cause = x.cause;
          end if;
          left_n := left_n - held;
        end loop;
      else
        update take_count set stood = base where id = c.id;
      end if;
      base := greatest(0, (select k.stood + k.found - k.dead from take_count k where k.id = c.id)
        - coalesce((select sum(n) from tree_move where tag_id = t.id and look = c.look and undone_at is null), 0));
    end loop;
  end loop;
end $$;
-- +goose StatementEnd
set constraints all immediate;
alter table take_count enable trigger take_count_kept;
alter table take_count alter column stood set not null;
alter table take_count add column missed int not null generated always as (stood + found - taken - doubtful - dead) stored
  constraint take_count_adds_up check (missed >= 0);

-- +goose StatementBegin
-- A server of the release before says nothing of what stood: what it counted is what stood.
create function take_count_stood() returns trigger language plpgsql as $$
begin
  new.stood := coalesce(new.stood, new.taken + new.doubtful + new.dead - new.found);
  return new;
end $$;
create or replace function tree_sums(of bigint) returns void language sql as $$
  update any_tag t set lost_since = s.lost_since, gone = s.gone, gone_since = s.gone_since, below = s.below, dead = s.dead, lost = s.lost,
    standing = case when t.finished_at is null then 0 else t.tied - s.lost - s.gone end
  from (select coalesce(m.lost_since, 0)::int as lost_since,
      coalesce(m.gone, 0)::int as gone, coalesce(m.gone_since, 0)::int as gone_since, coalesce(m.below, 0)::int as below,
      coalesce(k.dead, 0)::int as dead, (coalesce(m.lost, 0) + coalesce(k.dead, 0))::int as lost
    from any_tag g left join take_count c on c.id = g.look_id
    left join lateral (select sum(n) filter (where what = 'lost' and look = coalesce(c.look, '')) as lost_since,
      sum(n) filter (where what = 'lost') as lost,
      sum(n) filter (where what <> 'lost') as gone, sum(n) filter (where what <> 'lost' and look = coalesce(c.look, '')) as gone_since,
      sum(n) filter (where what in ('below', 'cut')) as below
      from tree_move x where x.tag_id = g.id and x.undone_at is null) m on true
    left join lateral (select sum(e.dead - e.found) as dead from take_count e where e.tag_id = g.id
      and not exists (select 1 from take_count r where r.replaces_id = e.id)) k on true
    where g.id = of) s
  where t.id = of and (t.lost_since, t.gone, t.gone_since, t.below, t.dead, t.lost, t.standing) is distinct from (s.lost_since,
    s.gone, s.gone_since, s.below, s.dead, s.lost, (case when t.finished_at is null then 0 else t.tied - s.lost - s.gone end))
$$;
create or replace function take_count_stands() returns trigger language plpgsql as $$
begin
  update any_tag t set look_id = new.id where t.id = new.tag_id
    and look_rank(new.look) >= look_rank(coalesce((select c.look from take_count c where c.id = t.look_id), ''));
  perform tree_sums(new.tag_id);
  return null;
end $$;
-- +goose StatementEnd
create trigger take_count_stood before insert on take_count for each row execute function take_count_stood();
select tree_sums(id) from any_tag where finished_at is not null;

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
