-- +goose Up
-- What came in was typed wrong: so many more, or fewer.
alter table stock_ledger drop constraint stock_ledger_reason;
alter table stock_ledger add constraint stock_ledger_reason check (reason in ('received', 'set aside', 'batch taken back', 'grafted',
  'finish taken back', 'spoiled', 'spoiled taken back', 'handed back', 'left over', 'drawn anew', 'recount', 'came back', 'by hand',
  'lifted', 'potted', 'heeled in', 'lined out', 'put right')) not valid;
alter table wood_ledger drop constraint wood_ledger_reason;
alter table wood_ledger add constraint wood_ledger_reason check (reason in ('cut', 'set aside', 'batch taken back', 'grafted',
  'finish taken back', 'spoiled',
  'spoiled taken back', 'handed back', 'left over', 'drawn anew', 'thrown out', 'dropped at cutting', 'by hand', 'put right')) not valid;

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
