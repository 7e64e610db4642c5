-- +goose Up
-- What the craft's tables were shipped with, beside what the house has of them since.
create table shipped (
  kind  text not null check (length(kind) <= 40),
  ref   text not null check (length(ref) <= 120),
  field text not null check (length(field) <= 40),
  value text not null check (length(value) <= 2000),
  primary key (kind, ref, field)
);
insert into shipped
select 'technique', key, f.field, f.value from technique, lateral (values ('rate_per_hour', rate_per_hour::text),
  ('prior_take', trim_scale(prior_take * 100)::text), ('prior_weight', prior_weight::text), ('slope', trim_scale(slope)::text),
  ('ratio_max', trim_scale(ratio_max)::text)) f (field, value)
union all select 'tie', key, 'weeks', coalesce(weeks::text, '') from tie
union all select 'genus', key, f.field, f.value from genus, lateral (values ('logit_shift', trim_scale(logit_shift)::text),
  ('usual_way', usual_way), ('cut_note', cut_note)) f (field, value)
union all select 'pair', scion_genus || ' on ' || stock_genus, f.field, f.value from compatibility,
  lateral (values ('verdict', verdict), ('note', note)) f (field, value);

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
