-- +goose Up
-- Trees that go to an order's buyer are the order's deliveries; those that go to somebody else are the order's no
-- more. Trees that come back stand on their tag again.
alter table tree_move add column order_id bigint references orders;
alter table tree_move add column elsewhere boolean not null default false; -- to nobody's order
create index tree_move_order on tree_move (order_id) where order_id is not null and undone_at is null;
alter table tree_move drop constraint tree_move_what_check;
alter table tree_move add constraint tree_move_what_check check (what in ('lost', 'sold', 'planted', 'below', 'cut', 'returned'));
alter table tree_move add constraint tree_move_delivers check (order_id is null or what in ('sold', 'planted', 'returned'));
-- What has gone until now went to its order where no other buyer was named.
update tree_move set elsewhere = true where what in ('sold', 'planted');
update tree_move m set order_id = o.id, elsewhere = false from any_tag t, batch b, orders o where t.id = m.tag_id and b.id =
  t.batch_id and o.id = b.order_id
  and m.what in ('sold', 'planted') and (m.buyer = '' or lower(m.buyer) = lower(o.buyer));
-- +goose StatementBegin
-- A server of the release before names no order.
create function tree_move_goes() returns trigger language plpgsql as $$
begin
  if new.what in ('sold', 'planted') and new.order_id is null and not new.elsewhere then
    new.order_id := (select o.id from any_tag t join batch b on b.id = t.batch_id join orders o on o.id = b.order_id
      where t.id = new.tag_id and (new.buyer = '' or lower(new.buyer) = lower(o.buyer)));
  end if;
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
      sum(case what when 'returned' then -n else n end) filter (where what <> 'lost') as gone,
      sum(case what when 'returned' then -n else n end) filter (where what <> 'lost' and look = coalesce(c.look, '')) as gone_since,
      sum(n) filter (where what in ('below', 'cut')) as below
      from tree_move x where x.tag_id = g.id and x.undone_at is null) m on true
    left join lateral (select sum(e.dead - e.found) as dead from take_count e where e.tag_id = g.id
      and not exists (select 1 from take_count r where r.replaces_id = e.id)) k on true
    where g.id = of) s
  where t.id = of and (t.lost_since, t.gone, t.gone_since, t.below, t.dead, t.lost, t.standing) is distinct from (s.lost_since,
    s.gone, s.gone_since, s.below, s.dead, s.lost, (case when t.finished_at is null then 0 else t.tied - s.lost - s.gone end))
$$;
-- +goose StatementEnd
create trigger tree_move_goes before insert on tree_move for each row execute function tree_move_goes();

-- A step that a propagator dismisses, with the reason, is asked for no more.
alter table step_done add column dismissed boolean not null default false;
alter table step_done add constraint step_dismissed_why check (not dismissed or reason <> '');

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
