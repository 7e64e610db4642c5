package copies

import (
	"archive/zip"
	"bufio"
	"context"
	"database/sql"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"

	"unionknot/internal/store"
)

// dataPackage is the descriptor of a data package, as datapackage.json holds it.
type dataPackage struct {
	Profile   string     `json:"profile"`
	Name      string     `json:"name"`
	Title     string     `json:"title"`
	Created   time.Time  `json:"created"`
	Schema    int64      `json:"schema_version"`
	Withheld  []string   `json:"withheld"` // columns that are empty in it
	Resources []resource `json:"resources"`
}

type resource struct {
	Name    string `json:"name"`
	Path    string `json:"path"`
	Profile string `json:"profile"`
	Format  string `json:"format"`
	Schema  schema `json:"schema"`
}

type schema struct {
	Fields        []field      `json:"fields"`
	PrimaryKey    []string     `json:"primaryKey,omitempty"`
	ForeignKeys   []foreignKey `json:"foreignKeys,omitempty"`
	MissingValues []string     `json:"missingValues"`
}

type field struct {
	Name        string      `json:"name"`
	Type        string      `json:"type"`
	Constraints constraints `json:"constraints,omitzero"`
}

type constraints struct {
	Required bool `json:"required"`
}

type foreignKey struct {
	Fields    []string  `json:"fields"`
	Reference reference `json:"reference"`
}

type reference struct {
	Resource string   `json:"resource"`
	Fields   []string `json:"fields"`
}

// withheld are columns of secrets: who gets a package must not get in by it.
var withheld = map[string]bool{"person.password_hash": true, "person.pin_hash": true, "house.setup_code_hash": true}

// withheldTables are tables that hold nothing but secrets, and keys of forms sent.
var withheldTables = []string{"feed", "done_once", "door_code", "door_try"}

// null is how a value that is not there stands in a file, so that it is told from an
// empty text.
const null = `\N`

// kinds are the types of a data package's fields, by those of the database.
var kinds = map[string]string{"bigint": "integer", "integer": "integer", "smallint": "integer", "numeric": "number",
	"double precision": "number", "real": "number", "boolean": "boolean", "date": "date", "timestamp with time zone": "datetime",
	"time without time zone": "time"}

type column struct {
	Table     string `db:"table_name"`
	Name      string `db:"column_name"`
	Type      string `db:"data_type"`
	Null      string `db:"is_nullable"`
	Generated string `db:"is_generated"`
	Key       int    `db:"key"` // its place in the primary key; 0: none
}

// describe reads the tables of a house into resources, in the order of their names.
func describe(ctx context.Context, db asker) ([]resource, error) {
	names, err := tables(ctx, db)
	if err != nil {
		return nil, err
	}
	names = slices.DeleteFunc(names, func(t string) bool { return slices.Contains(withheldTables, t) })
	var cs []column
	if err := db.SelectContext(ctx, &cs, `select c.table_name, c.column_name, c.data_type, c.is_nullable, c.is_generated,
			coalesce(array_position(i.indkey::int[], a.attnum::int) + 1, 0) as key
		from information_schema.columns c join pg_attribute a on a.attrelid = ('public.' || c.table_name)::regclass and a.attname =
			c.column_name
			left join pg_index i on i.indrelid = a.attrelid and i.indisprimary
		where c.table_schema = 'public' and c.table_name = any($1) order by c.table_name, c.ordinal_position`, names); err != nil {
		return nil, err
	}
	var fks []struct {
		From   string `db:"from_table"`
		To     string `db:"to_table"`
		Cols   string `db:"cols"`
		Theirs string `db:"theirs"`
	}
	if err := db.SelectContext(ctx, &fks, `select x.conrelid::regclass::text as from_table, x.confrelid::regclass::text as to_table,
			(select string_agg(a.attname, ',' order by k.n) from unnest(x.conkey) with ordinality k(c, n) join pg_attribute a
				on a.attrelid = x.conrelid and a.attnum = k.c) as cols,
			(select string_agg(a.attname, ',' order by k.n) from unnest(x.confkey) with ordinality k(c, n) join pg_attribute a
				on a.attrelid = x.confrelid and a.attnum = k.c) as theirs
		from pg_constraint x where x.contype = 'f' and x.connamespace = 'public'::regnamespace order by 1, 3`); err != nil {
		return nil, err
	}
	var out []resource
	for _, t := range names {
		r := resource{Name: t, Path: "data/" + t + ".csv", Profile: "tabular-data-resource", Format: "csv",
			Schema: schema{MissingValues: []string{null}}}
		var key []column
		for _, c := range cs {
			if c.Table != t || c.Generated == "ALWAYS" {
				continue
			}
			kind := kinds[c.Type]
			if kind == "" {
				kind = "string"
			}
			r.Schema.Fields = append(r.Schema.Fields, field{c.Name, kind, constraints{c.Null == "NO"}})
			if c.Key > 0 {
				key = append(key, c)
			}
		}
		slices.SortFunc(key, func(a, b column) int { return a.Key - b.Key })
		for _, c := range key {
			r.Schema.PrimaryKey = append(r.Schema.PrimaryKey, c.Name)
		}
		for _, f := range fks {
			if f.From == t && !slices.Contains(withheldTables, f.To) {
				r.Schema.ForeignKeys = append(r.Schema.ForeignKeys, foreignKey{strings.Split(f.Cols, ","),
					reference{f.To, strings.Split(f.Theirs, ",")}})
			}
		}
		out = append(out, r)
	}
	return out, nil
}

// columnsOf lists a resource's columns as a statement reads them, those withheld as
// nothing.
func (r resource) columnsOf(reading bool) string {
	var out []string
	for _, f := range r.Schema.Fields {
		name := `"` + f.Name + `"`
		if reading && withheld[r.Name+"."+f.Name] {
			name = "null as " + name
		}
		out = append(out, name)
	}
	return strings.Join(out, ", ")
}

// order is that of a resource's rows, the same each time.
func (r resource) order() string {
	if len(r.Schema.PrimaryKey) == 0 {
		return "1, 2"
	}
	return `"` + strings.Join(r.Schema.PrimaryKey, `", "`) + `"`
}

// Export writes a whole house as a data package: a zip of CSV files and their
// descriptor, all of one moment. Secrets are withheld.
func Export(ctx context.Context, db *store.DB, to io.Writer, now time.Time) error {
	resources, err := describe(ctx, db)
	if err != nil {
		return err
	}
	conn, err := db.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	return conn.Raw(func(c any) error {
		pg := c.(*stdlib.Conn).Conn()
		tx, err := pg.BeginTx(ctx, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly})
		if err != nil {
			return err
		}
		defer tx.Rollback(context.WithoutCancel(ctx))
		// Times as they are written everywhere: ISO 8601, in UTC.
		if _, err := tx.Exec(ctx, `set local timezone = 'UTC'; set local datestyle = 'ISO, YMD'; set local statement_timeout =
			0`); err != nil {
			return err
		}
		d := dataPackage{Profile: "tabular-data-package", Name: "union-knot-house", Created: now.UTC(), Resources: resources}
		for name := range withheld {
			d.Withheld = append(d.Withheld, name)
		}
		slices.Sort(d.Withheld)
		if err := tx.QueryRow(ctx, `select name, (select max(version_id) from goose_db_version where is_applied) from house`).
			Scan(&d.Title, &d.Schema); err != nil {
			return err
		}
		z := zip.NewWriter(to)
		w, err := z.Create("datapackage.json")
		if err != nil {
			return err
		}
		e := json.NewEncoder(w)
		e.SetIndent("", "  ")
		if err := e.Encode(d); err != nil {
			return err
		}
		for _, r := range d.Resources {
			w, err := z.Create(r.Path)
			if err != nil {
				return err
			}
			if _, err := pg.PgConn().CopyTo(ctx, w, `copy (select `+r.columnsOf(true)+` from "`+r.Name+`" order by `+r.order()+
				`) to stdout with (format csv, header, null '`+null+`')`); err != nil {
				return fmt.Errorf("writing %s: %w", r.Name, err)
			}
		}
		return z.Close()
	})
}

// ErrOther says that a package is not one that this build reads.
var ErrOther = errors.New("the package cannot be read here")

// mostUnpacked bounds what a package may unpack to.
const mostUnpacked = 8 << 30

// Import brings a data package into a migrated house that has nothing in it yet, all of
// it or nothing, and checks its sums. People have no passwords then.
func Import(ctx context.Context, db *store.DB, from io.ReaderAt, size int64) error {
	z, err := zip.NewReader(from, size)
	if err != nil {
		return fmt.Errorf("%w: %w", ErrOther, err)
	}
	files := map[string]*zip.File{}
	var unpacked uint64
	for _, f := range z.File {
		files[f.Name] = f
		unpacked += f.UncompressedSize64
	}
	if unpacked > mostUnpacked {
		return fmt.Errorf("%w: it would unpack to %d bytes", ErrOther, unpacked)
	}
	var d dataPackage
	if err := readJSON(files["datapackage.json"], &d); err != nil {
		return err
	}
	have, err := describe(ctx, db)
	if err != nil {
		return err
	}
	conn, err := db.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	err = conn.Raw(func(c any) error {
		pg := c.(*stdlib.Conn).Conn()
		tx, err := pg.Begin(ctx)
		if err != nil {
			return err
		}
		defer tx.Rollback(context.WithoutCancel(ctx))
		if _, err := tx.Exec(ctx, `set local statement_timeout = 0`); err != nil {
			return err
		}
		if err := fill(ctx, tx, d, have, files); err != nil {
			return err
		}
		return tx.Commit(ctx)
	})
	if err != nil {
		return err
	}
	return agrees(ctx, db, nil)
}

func readJSON(f *zip.File, into any) error {
	if f == nil {
		return fmt.Errorf("%w: it has no datapackage.json", ErrOther)
	}
	r, err := f.Open()
	if err != nil {
		return fmt.Errorf("%w: %w", ErrOther, err)
	}
	defer r.Close()
	if err := json.NewDecoder(io.LimitReader(r, 16<<20)).Decode(into); err != nil {
		return fmt.Errorf("%w: %w", ErrOther, err)
	}
	return nil
}

// fill loads every file into its table. Triggers rest meanwhile, since what they keep is
// in the files, and keys between tables are made anew at the end, which checks them.
func fill(ctx context.Context, tx pgx.Tx, d dataPackage, have []resource, files map[string]*zip.File) error {
	var version, people int64
	if err := tx.QueryRow(ctx, `select (select max(version_id) from goose_db_version where is_applied), (select count(*) from person)`).
		Scan(&version, &people); err != nil {
		return err
	}
	switch {
	case people > 0:
		return fmt.Errorf("%w: somebody is in this house already", ErrNotEmpty)
	case d.Schema != version:
		return fmt.Errorf("%w: it is of version %d of the tables, and this house is of %d. Use the build that made it", ErrOther,
			d.Schema, version)
	}
	keys, err := dropKeys(ctx, tx)
	if err != nil {
		return err
	}
	for _, r := range have {
		i := slices.IndexFunc(d.Resources, func(x resource) bool { return x.Name == r.Name })
		if i < 0 || files[d.Resources[i].Path] == nil {
			return fmt.Errorf("%w: %s is not in it", ErrOther, r.Name)
		}
		if err := fillOne(ctx, tx, r, files[d.Resources[i].Path]); err != nil {
			return fmt.Errorf("loading %s: %w", r.Name, err)
		}
	}
	for _, k := range keys {
		if _, err := tx.Exec(ctx, k); err != nil {
			return fmt.Errorf("what belongs together: %w", err)
		}
	}
	return nil
}

// dropKeys takes the keys between tables away, and gives the statements that bring them
// back.
func dropKeys(ctx context.Context, tx pgx.Tx) (again []string, err error) {
	rows, err := tx.Query(ctx, `select conrelid::regclass::text, quote_ident(conname), pg_get_constraintdef(oid) from pg_constraint
		where contype = 'f' and connamespace = 'public'::regnamespace order by 1, 2`)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var drops []string
	for rows.Next() {
		var table, name, def string
		if err := rows.Scan(&table, &name, &def); err != nil {
			return nil, err
		}
		drops = append(drops, `alter table `+table+` drop constraint `+name)
		again = append(again, `alter table `+table+` add constraint `+name+` `+def)
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	for _, q := range drops {
		if _, err := tx.Exec(ctx, q); err != nil {
			return nil, err
		}
	}
	return again, nil
}

func fillOne(ctx context.Context, tx pgx.Tx, r resource, f *zip.File) error {
	in, err := f.Open()
	if err != nil {
		return err
	}
	defer in.Close()
	// The columns come in the file's own order.
	buffered := bufio.NewReader(in)
	head, err := buffered.ReadString('\n')
	if err != nil {
		return fmt.Errorf("%w: it has no first line", ErrOther)
	}
	cols, err := csv.NewReader(strings.NewReader(head)).Read()
	if err != nil {
		return fmt.Errorf("%w: %w", ErrOther, err)
	}
	for i, c := range cols {
		if !slices.ContainsFunc(r.Schema.Fields, func(x field) bool { return x.Name == c }) {
			return fmt.Errorf("%w: this house has no %s in %s", ErrOther, c, r.Name)
		}
		cols[i] = `"` + c + `"`
	}
	name := `"` + r.Name + `"`
	for _, q := range []string{`alter table ` + name + ` disable trigger user`, `truncate ` + name} {
		if _, err := tx.Exec(ctx, q); err != nil {
			return err
		}
	}
	if _, err := tx.Conn().PgConn().CopyFrom(ctx, buffered, `copy `+name+` (`+strings.Join(cols, ", ")+
		`) from stdin with (format csv, null '`+null+`')`); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `alter table `+name+` enable trigger user`); err != nil {
		return err
	}
	for _, c := range r.Schema.Fields {
		var seq sql.NullString
		if err := tx.QueryRow(ctx, `select pg_get_serial_sequence($1, $2)`, name, c.Name).Scan(&seq); err != nil {
			return err
		}
		if !seq.Valid {
			continue
		}
		if _, err := tx.Exec(ctx, `select setval($1::regclass, coalesce((select max("`+c.Name+`") from `+name+`), 1),
			exists (select 1 from `+name+`))`, seq.String); err != nil {
			return err
		}
	}
	return nil
}
