-- +goose Up
-- Taps and the sums of their tags in one call, kept only if every tag is as it was when it was
-- read. What is given back is the version that the tags have then. Of the taps' rows and of the
-- tags' there is a slice a column. Its plans are made once a connection: they are the same however
-- many rows there are, and making one takes as long as keeping a tap.
-- +goose StatementBegin
create function keep_taps(
  tap_ids uuid[], tag_ids bigint[], persons bigint[], kinds text[], many int[], undone uuid[], made timestamptz[],
  received timestamptz[], refused text[], devices text[], nos bigint[], senders bigint[], own bool[],
  tags bigint[], started timestamptz[], tied_sums int[], wipe_sums int[], last_made timestamptz[], last_devices text[],
  last_nos bigint[], versions text[]
) returns text language plpgsql set plan_cache_mode = force_generic_plan as $$
declare
  stood int;
begin
  -- Held in the order of their ids, as everybody does.
  perform from any_tag where id = any(tags) order by id for no key update;
  update any_tag t
    set started_at = u.s, tied = u.n, since_wipe = u.w, last_at = u.a, last_device = u.d, last_no = u.o
    from unnest(tags, started, tied_sums, wipe_sums, last_made, last_devices, last_nos, versions) u(id, s, n, w, a, d, o, v)
    where t.id = u.id and t.xmin = u.v::xid;
  get diagnostics stood = row_count;
  if stood <> cardinality(tags) then
    raise exception '% of % tags were written meanwhile', cardinality(tags) - stood, cardinality(tags) using errcode = 'UK001';
  end if;
  insert into tap (id, tag_id, person_id, kind, n, undoes, at, received_at, held, device, no, sent_by, theirs)
    select * from unnest(tap_ids, tag_ids, persons, kinds, many, undone, made, received, refused, devices, nos, senders, own);
  return pg_current_xact_id()::xid::text;
end $$;
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
