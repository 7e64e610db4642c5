package store

import (
	"context"
	"encoding/json"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
)

// withheld are columns that tell nobody anything about a person: hashes, keys and the
// bodies of files.
const withheld = `array['hash','password_hash','pin_hash','token','data','body','key_hash']`

// PersonData gives every row that bears somebody's number, table by table, as JSON objects
// without secrets: row is called with "table.column" and one row. Tables are found by their
// foreign keys, so that a new one is not forgotten.
func (q Q) PersonData(ctx context.Context, person int64, row func(of string, json json.RawMessage) error) error {
	var refs []struct {
		Table  string `db:"tab"`
		Column string `db:"col"`
	}
	if err := q.all(ctx, &refs, `select k.relname as tab, a.attname as col from pg_constraint c join pg_class k on k.oid = c.conrelid
			join pg_attribute a on a.attrelid = k.oid and a.attnum = c.conkey[1]
		where c.contype = 'f' and c.confrelid = 'person'::regclass and k.relnamespace = 'public'::regnamespace
		union all values ('person', 'id'), ('sessions', 'person_id'), ('sessions', 'tablet_by') order by 1, 2`); err != nil {
		return err
	}
	for _, ref := range refs {
		rows, err := q.rows(ctx, `select to_jsonb(t) - `+withheld+` from `+pgx.Identifier{ref.Table}.Sanitize()+` t where `+
			pgx.Identifier{ref.Column}.Sanitize()+` = $1`, person)
		if err != nil {
			return err
		}
		for rows.Next() {
			var b []byte
			if err = rows.Scan(&b); err == nil {
				err = row(strings.Join([]string{ref.Table, ref.Column}, "."), b)
			}
			if err != nil {
				rows.Close()
				return err
			}
		}
		if err := rows.Close(); err != nil {
			return mapped(err)
		}
		if err := rows.Err(); err != nil {
			return mapped(err)
		}
	}
	return nil
}

// ErasePerson puts "Erased" and their number in the place of somebody's name, wherever it
// stands, and ends their ways in. It gives the name that was. ErrNotFound: they are erased
// already, or there is nobody by that number.
func (q Q) ErasePerson(ctx context.Context, person int64, at time.Time) (was string, err error) {
	var here bool
	if err := q.get(ctx, &here, `select exists (select 1 from person where id = $1) and not exists (select 1 from erased where person_id
		= $1)`,
		person); err != nil ||
		!here {
		if err == nil {
			err = ErrNotFound
		}
		return "", err
	}
	err = q.get(ctx, &was, `select erase_person($1, $2)`, person, at)
	return was, err
}
