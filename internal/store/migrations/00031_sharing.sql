-- +goose Up
-- Who makes which of the next tags can be chosen so that their counts tell workers from lots.
insert into house_way (key, sort, question, options, chosen, why) values
 ('sharing', 28, 'Who grafts which lot', 'as hands are free · so that counts tell', 'as hands are free',
  'a worker who keeps to one lot learns it; one who meets many can be told from it');

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
