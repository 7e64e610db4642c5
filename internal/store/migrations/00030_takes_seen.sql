-- +goose Up
-- What bench hands see of each other's takes is the house's to say.
insert into house_way (key, sort, question, options, chosen, why) values
 ('takes seen', 27, 'Whose takes a bench hand sees', 'their own · everybody''s', 'their own',
  'a figure beside a name can shame; some crews learn by it');

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
