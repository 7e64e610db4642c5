-- +goose Up
-- What a graft, a tag or a wipe takes of each material, and what that costs.
create table material (
  key    text primary key check (length(key) <= 60),
  name   text not null check (length(name) <= 80),
  sort   int not null,
  unit   text not null check (length(unit) <= 20),     -- as it is bought and laid out
  each   text not null check (length(each) <= 40),     -- what amount is of
  amount numeric(9,3) not null check (amount > 0),
  cents  int not null check (cents between 0 and 10000000)  -- of a hundred units
);
insert into material values
  ('tie:film', 'stretch wax film', 1, 'm', 'm a graft', 0.3, 1200),
  ('tie:fusing', 'self-fusing rubber tape', 2, 'm', 'm a graft', 0.25, 2600),
  ('tie:pvc', 'PVC or polythene tape', 3, 'm', 'm a graft', 0.4, 450),
  ('tie:raffia', 'raffia with wax over', 4, 'm', 'm a graft', 0.6, 500),
  ('tie:rubber', 'rubber strip', 5, 'strips', 'strips a graft', 1, 380),
  ('tie:vinyl', 'vinyl electrical tape', 6, 'm', 'm a graft', 0.35, 700),
  ('wax', 'sealing wax', 10, 'g', 'g a graft', 3, 130),
  ('film over', 'film over the union', 11, 'm', 'm a graft', 0.1, 1200),
  ('hood', 'hoods', 12, 'hoods', 'hoods a graft', 1, 450),
  ('blade', 'blades', 13, 'blades', 'grafts a blade', 75, 2400),
  ('alcohol', 'alcohol for wiping', 14, 'ml', 'ml a wipe', 1.5, 90),
  ('label', 'labels', 15, 'labels', 'labels a tag', 2, 600),
  ('pot', 'pots', 16, 'pots', 'pots a graft', 1, 2800);
create constraint trigger material_raises after insert or update or delete on material deferrable initially deferred
  for each row execute function raise_revision('settings');

-- Ties, ways to heal and causes that the house does not offer to choose from.
create table not_offered (
  kind text not null check (length(kind) <= 20),
  ref  text not null check (length(ref) <= 120),
  primary key (kind, ref)
);
create constraint trigger not_offered_raises after insert or update or delete on not_offered deferrable initially deferred
  for each row execute function raise_revision('settings');

insert into shipped
select 'material', key, f.field, f.value from material, lateral (values ('amount', trim_scale(amount)::text),
  ('cents', trim_scale(cents / 100.0)::text)) f (field, value)
union all select 'healing', key, f.field, f.value from healing_way, lateral (values ('low_c', trim_scale(low_c)::text),
  ('high_c', trim_scale(high_c)::text)) f (field, value) where low_c is not null
union all select 'tie', key, 'untie', untie from tie
union all select 'cause', key, 'name', key from cause
union all select 'section', scion_genus || ' ' || scion_section || ' on ' || stock_genus || ' ' || stock_section, f.field, f.value
  from section_pair, lateral (values ('verdict', verdict), ('note', note)) f (field, value)
union all select 'worth', 'house', f.field, f.value from (values ('wage', '16'), ('tree', '9'), ('stem', '1.3'), ('piece', '0.35'),
  ('delay', '25'), ('grade', '96')) f (field, value);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
