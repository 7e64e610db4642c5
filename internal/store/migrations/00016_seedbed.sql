-- +goose Up
-- Seedlings sown here, before they are lifted or lined out.
alter table stock_lot drop constraint stock_lot_form_check;
alter table stock_lot add constraint stock_lot_form_check
  check (form in ('bare-root', 'potted', 'in the row', 'seedbed', 'root pieces', 'cuttings'));

-- +goose Down
select 1;
