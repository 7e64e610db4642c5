-- +goose Up
-- What a tree takes of care until it is lifted, and what a bench day costs beside wages.
insert into material values
  ('care', 'care of a live tree until it is lifted', 20, 'min', 'min a tree', 6, 0),
  ('overhead', 'a bench day of one head: rooms, light, tools', 21, 'days', 'days a head and day', 1, 400000);
insert into shipped
select 'material', key, f.field, f.value from material, lateral (values ('amount', trim_scale(amount)::text),
  ('cents', trim_scale(cents / 100.0)::text)) f (field, value) where key in ('care', 'overhead');

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
