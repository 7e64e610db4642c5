-- +goose Up
-- The chances that were played on a day, the last of it: what was promised by them is held
-- against what came.
create table rehearsed (
  day      date not null,
  order_id bigint not null references orders on delete cascade, -- a chance holds no order
  met      double precision not null check (met between 0 and 1),
  mean     double precision not null,
  trees    int not null,
  at       timestamptz not null,
  primary key (order_id, day)
);
create index rehearsed_day on rehearsed (day);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
