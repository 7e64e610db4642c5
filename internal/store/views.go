package store

import "context"

// View is a list as somebody looks at it.
type View struct {
	ID    int64  `db:"id"`
	Path  string `db:"path"`
	Name  string `db:"name"`
	Query string `db:"query"`
}

// Views lists somebody's views of a page.
func (q Q) Views(ctx context.Context, person int64, path string) (vs []View, err error) {
	err = q.all(ctx, &vs, `select id, path, name, query from saved_view where person_id = $1 and path = $2 order by lower(name)`, person,
		path)
	return vs, err
}

// SaveView keeps a view; one of the same name is replaced.
func (q Q) SaveView(ctx context.Context, person int64, v View) error {
	_, err := q.exec(ctx, `insert into saved_view (person_id, path, name, query) values ($1, $2, $3, $4)
		on conflict (person_id, path, name) do update set query = excluded.query`, person, v.Path, v.Name, v.Query)
	return err
}

// DropView lets go of one, and gives it.
func (q Q) DropView(ctx context.Context, person, id int64) (v View, err error) {
	err = q.get(ctx, &v, `delete from saved_view where id = $1 and person_id = $2 returning id, path, name, query`, id, person)
	return v, err
}
