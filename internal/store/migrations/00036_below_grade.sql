-- +goose Up
-- Trees that lived and were found below the grade when they were lifted or sold. They leave the
-- tag as sold ones do: their grafts took, but the order does not have them.
alter table tree_move drop constraint tree_move_what_check;
alter table tree_move add constraint tree_move_what_check check (what in ('lost', 'sold', 'planted', 'below'));
create index tree_move_below on tree_move (on_day) where what = 'below' and undone_at is null;
alter table any_tag add column below int not null default 0; -- of gone
-- The view tag stays as it is, for a server of the release before; graded_tag has the column too.
create view graded_tag as select * from any_tag where dropped_at is null;
-- +goose StatementBegin
create or replace function tree_sums(of bigint) returns void language sql as $$
  update any_tag t set lost_since = s.lost, gone = s.gone, gone_since = s.gone_since, below = s.below,
    standing = case when t.finished_at is null then 0 else s.alive - s.lost - s.gone_since end
  from (select coalesce(c.taken + c.doubtful, g.tied) as alive, coalesce(m.lost, 0) as lost, coalesce(m.gone, 0) as gone,
      coalesce(m.gone_since, 0) as gone_since, coalesce(m.below, 0) as below
    from tag g left join take_count c on c.id = g.look_id
    left join lateral (select sum(n) filter (where what = 'lost' and look = coalesce(c.look, '')) as lost,
      sum(n) filter (where what <> 'lost') as gone, sum(n) filter (where what <> 'lost' and look = coalesce(c.look, '')) as gone_since,
      sum(n) filter (where what = 'below') as below
      from tree_move x where x.tag_id = g.id and x.undone_at is null) m on true
    where g.id = of) s
  where t.id = of and (t.lost_since, t.gone, t.gone_since, t.below, t.standing) is distinct from (s.lost::int, s.gone::int,
    s.gone_since::int, s.below::int, (case when t.finished_at is null then 0 else s.alive - s.lost - s.gone_since end)::int)
$$;
-- +goose StatementEnd
insert into revision (kind) values ('grades');
create constraint trigger tree_move_raises after insert or update on tree_move deferrable initially deferred
  for each row execute function raise_revision('grades');

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
