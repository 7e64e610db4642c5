package store

import (
	"context"
	"errors"
	"fmt"

	"github.com/jackc/pgx/v5"
)

// ErrTooStrong says that the server would sign in as a role that may do anything.
var ErrTooStrong = errors.New("the server must not sign in as a superuser of the database: " +
	"run scripts/roles.sql, and give the role unionknot in UNIONKNOT_DB and unionknot_owner in UNIONKNOT_OWNER_DB")

// RoleOf gives the role that an address signs in as.
func RoleOf(dsn string) (string, error) {
	conf, err := pgx.ParseConfig(dsn)
	if err != nil {
		return "", fmt.Errorf("reading the database's address: %w", err)
	}
	return conf.User, nil
}

// Standing is what the role that is signed in may do beyond reading and writing rows.
type Standing struct {
	Role  string `db:"role"`
	Super bool   `db:"super"`
	Owner bool   `db:"owner"` // of the house's tables, or may make tables
}

// Standing looks at the role that is signed in.
func (d *DB) Standing(ctx context.Context) (s Standing, err error) {
	err = d.GetContext(ctx, &s, `select current_user as role, rolsuper as super, has_schema_privilege('public', 'create') as owner
		from pg_roles where rolname = current_user`)
	return s, err
}

// Pending says whether this build knows migrations that the tables lack.
func (d *DB) Pending(ctx context.Context) (bool, error) {
	have, err := d.Q().schema(ctx)
	if err != nil {
		return false, fmt.Errorf("reading the tables' version: %w", err)
	}
	known, err := Newest()
	return have < known, err
}

// GrantTo lets a role do what the server does, and no more: read and write rows; of what
// is only added to, read and add; bring no table up to date and empty none. The owner of
// the tables grants.
func (d *DB) GrantTo(ctx context.Context, role string) error {
	r := pgx.Identifier{role}.Sanitize()
	return d.Tx(ctx, func(q Q) error {
		// Servers that start together grant one after the other: PostgreSQL refuses both at once.
		if _, err := q.exec(ctx, `select pg_advisory_xact_lock(6174013)`); err != nil {
			return err
		}
		var kept []string
		if err := q.all(ctx, &kept, `select distinct k.oid::regclass::text from pg_trigger t join pg_class k on k.oid = t.tgrelid
			where t.tgfoid = 'only_added_to()'::regprocedure and t.tgname <> 'never_emptied'`); err != nil {
			return err
		}
		do := []string{
			`grant usage on schema public to ` + r,
			`revoke all on all tables in schema public from ` + r,
			`grant select, insert, update, delete on all tables in schema public to ` + r,
			`revoke insert, update, delete on goose_db_version from ` + r,
			`grant usage, select on all sequences in schema public to ` + r,
			`grant execute on all functions in schema public to ` + r,
			`revoke delete on tap, tally from ` + r,
		}
		for _, t := range kept {
			do = append(do, `revoke update, delete on `+t+` from `+r)
		}
		for _, s := range do {
			if _, err := q.exec(ctx, s); err != nil {
				return fmt.Errorf("granting to %s: %w", role, err)
			}
		}
		return nil
	})
}
