-- +goose Up
-- Seedlings sown here, before they are lifted or lined out.
alter table stock_lot drop constraint stock_lot_form_check;
alter table stock_lot add constraint stock_lot_form_check
  check (form in ('bare-root', 'potted', 'in the row', 'seedbed', 'root pieces', 'cuttings'));

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
