// Package store keeps the nursery in PostgreSQL: one file a family of tables,
// each query a method of Q. It holds no rules of the craft; what must never
// happen (a stem spent twice, a tap counted twice) is a constraint in the
// migrations.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"net"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Errors that queries give, whatever the table.
var (
	ErrNotFound = errors.New("not found")
	ErrTaken    = errors.New("already there")
	ErrShort    = errors.New("less is left than was asked for")
	ErrFull     = errors.New("the database's disk is full")
	ErrLong     = errors.New("a text is longer than is kept")
)

// DB is the nursery's database.
type DB struct {
	*sqlx.DB
	conf *pgx.ConnConfig
}

// Open connects to the database at dsn and waits until it answers or ctx ends.
func Open(ctx context.Context, dsn string) (*DB, error) {
	conf, err := pgx.ParseConfig(dsn)
	if err != nil {
		return nil, fmt.Errorf("reading the database's address: %w", err)
	}
	// Every query here is short; compiling one costs more than running it.
	conf.RuntimeParams["jit"] = "off"
	// Joins are written in the order they are best done, from the few rows to
	// the many; searching for another order took longer than the queries. What
	// bounds the few therefore stands as an array, not as a further join.
	conf.RuntimeParams["join_collapse_limit"] = "1"
	// Nobody waits for ever: for a lock, for a statement, for somebody who began and went.
	for name, most := range map[string]time.Duration{"lock_timeout": 30 * time.Second, "statement_timeout": time.Minute,
		"idle_in_transaction_session_timeout": 2 * time.Minute} {
		if _, set := conf.RuntimeParams[name]; !set {
			conf.RuntimeParams[name] = strconv.Itoa(int(most.Milliseconds()))
		}
	}
	// A line that went dead is found on both ends, and what ran for it is ended.
	for name, value := range map[string]string{"tcp_keepalives_idle": "60", "tcp_keepalives_interval": "10", "tcp_keepalives_count": "3",
		"client_connection_check_interval": "10s"} {
		if _, set := conf.RuntimeParams[name]; !set {
			conf.RuntimeParams[name] = value
		}
	}
	conf.DialFunc = (&net.Dialer{Timeout: 10 * time.Second,
		KeepAliveConfig: net.KeepAliveConfig{Enable: true, Idle: time.Minute, Interval: 10 * time.Second, Count: 3}}).DialContext
	conf.Tracer = tracer{}
	db := sqlx.NewDb(stdlib.OpenDB(*conf, stdlib.OptionAfterConnect(inTheHousesZone)), "pgx")
	db.SetMaxOpenConns(24)
	db.SetMaxIdleConns(idleConns)
	db.SetConnMaxIdleTime(5 * time.Minute)
	if err := db.PingContext(ctx); err != nil {
		db.Close()
		return nil, fmt.Errorf("reaching the database: %w", err)
	}
	return &DB{db, conf}, nil
}

// idleConns is how many connections are kept open for the next request.
const idleConns = 12

// DropIdle closes the connections that nobody uses now.
func (d *DB) DropIdle() {
	d.SetMaxIdleConns(0)
	d.SetMaxIdleConns(idleConns)
}

// inTheHousesZone lets a connection tell days as the house does. On a database that has
// no house yet it changes nothing.
func inTheHousesZone(ctx context.Context, conn *pgx.Conn) error {
	_, err := conn.PgConn().Exec(ctx, `select set_config('TimeZone', time_zone, false) from house where time_zone <> ''`).ReadAll()
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		return nil
	}
	return err
}

// ErrNewer says that the tables are newer than this build knows.
var ErrNewer = errors.New("the tables are newer than this build: start the newer build, or bring a copy back that this one made")

// ErrBusy says that something held what was needed for too long.
var ErrBusy = errors.New("the tables are held by another for too long: nothing was changed. Try again once it is done")

// ErrMoved says that something was written since it was read.
var ErrMoved = errors.New("it was written meanwhile")

// movedCode is tags_stood's own.
const movedCode = "UK001"

// lockPatience is how long a migration waits for a lock, in which all others wait for it.
const lockPatience = 5 * time.Second

// Migrate brings the tables up to what this build knows. Several servers may
// call it at once: a lock in the database lets one through at a time. It gives
// up a lock that it does not get in a few seconds, and what it began with it: ErrBusy.
// Tables that are newer than this build are left alone: ErrNewer.
func (d *DB) Migrate(ctx context.Context) error {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	// A pool of its own: its connections wait for locks as none of the others do.
	conf := d.conf.Copy()
	conf.RuntimeParams["lock_timeout"] = strconv.Itoa(int(lockPatience.Milliseconds()))
	conf.RuntimeParams["statement_timeout"], conf.RuntimeParams["idle_in_transaction_session_timeout"] = "0", "0"
	own := stdlib.OpenDB(*conf)
	defer own.Close()
	// goose's own locker polls every few seconds; an advisory lock on a
	// connection of its own passes on at once.
	conn, err := own.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	const lock = 6_174_011
	// Another server that migrates may take its time.
	if _, err := conn.ExecContext(ctx, `set lock_timeout = '10min'`); err != nil {
		return err
	}
	if _, err := conn.ExecContext(ctx, `select pg_advisory_lock($1)`, lock); err != nil {
		return fmt.Errorf("waiting to migrate: %w", err)
	}
	defer conn.ExecContext(context.WithoutCancel(ctx), `select pg_advisory_unlock($1)`, lock)
	p, err := goose.NewProvider(goose.DialectPostgres, own, sub)
	if err != nil {
		return fmt.Errorf("reading migrations: %w", err)
	}
	have, err := p.GetDBVersion(ctx)
	if err != nil {
		return fmt.Errorf("reading the tables' version: %w", err)
	}
	if known := p.ListSources(); have > known[len(known)-1].Version {
		return fmt.Errorf("version %d, and this build knows %d: %w", have, known[len(known)-1].Version, ErrNewer)
	}
	_, err = p.Up(ctx)
	var pg *pgconn.PgError
	if errors.As(err, &pg) && pg.Code == "55P03" {
		return fmt.Errorf("%w (%s)", ErrBusy, pg.Message)
	}
	if err != nil {
		return fmt.Errorf("migrating: %w", err)
	}
	return nil
}

// Newest is the version of the newest migration that this build knows.
func Newest() (int64, error) {
	names, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil || len(names) == 0 {
		return 0, fmt.Errorf("reading migrations: %w", err)
	}
	return goose.NumericComponent(slices.Max(names))
}

// Writable gives an error where the database does not answer or keeps nothing.
func (d *DB) Writable(ctx context.Context) error {
	var ok bool
	err := d.QueryRowContext(ctx, `select not pg_is_in_recovery() and current_setting('transaction_read_only') = 'off'`).Scan(&ok)
	if err == nil && !ok {
		err = errors.New("the database can only be read")
	}
	return err
}

// Alone runs do while no other server does what bears the same name; it does nothing
// where one is at it.
func (d *DB) Alone(ctx context.Context, name string, do func() error) error {
	own := stdlib.OpenDB(*d.conf.Copy()) // beside the pool, which do may need all of
	defer own.Close()
	conn, err := own.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	var got bool
	if err := conn.QueryRowContext(ctx, `select pg_try_advisory_lock(hashtext($1))`, name).Scan(&got); err != nil || !got {
		return err
	}
	defer conn.ExecContext(context.WithoutCancel(ctx), `select pg_advisory_unlock(hashtext($1))`, name)
	return do()
}

// Q runs queries, in a transaction or outside one.
type Q struct{ ext sqlx.ExtContext }

// Q gives queries outside a transaction.
func (d *DB) Q() Q { return Q{d.DB} }

// Tx runs do in one transaction: all of it is kept, or none. A transaction
// that lost a deadlock or a serialisation race is run again, up to five times.
func (d *DB) Tx(ctx context.Context, do func(Q) error) error {
	for try := 1; ; try++ {
		err := d.once(ctx, do)
		var pg *pgconn.PgError
		if try == 5 || !errors.As(err, &pg) || pg.Code != "40P01" && pg.Code != "40001" {
			return err
		}
		Retried.Add(1)
		// Longer each time, and never in step with the other.
		select {
		case <-ctx.Done():
			return err
		case <-time.After(time.Duration(rand.IntN(10<<try)+1) * time.Millisecond):
		}
	}
}

// Retried counts the transactions that were begun again after a deadlock or a
// serialisation race. There should be none: everybody locks in one order.
var Retried atomic.Int64

func (d *DB) once(ctx context.Context, do func(Q) error) error {
	tx, err := d.BeginTxx(ctx, nil)
	if err != nil {
		return fmt.Errorf("starting a transaction: %w", err)
	}
	defer tx.Rollback()
	if err := do(Q{tx}); err != nil {
		return err
	}
	if err := tx.Commit(); err != nil {
		return fmt.Errorf("keeping the change: %w", mapped(err))
	}
	return nil
}

// Look runs do on one picture of the data, which nobody can change meanwhile and
// which holds nobody up.
func (d *DB) Look(ctx context.Context, do func(Q) error) error {
	tx, err := d.BeginTxx(ctx, &sql.TxOptions{Isolation: sql.LevelRepeatableRead, ReadOnly: true})
	if err != nil {
		return fmt.Errorf("looking: %w", err)
	}
	defer tx.Rollback()
	return do(Q{tx})
}

// ExportSnapshot names the picture of the data that a Look has, for a copy to be made of
// the same.
func (q Q) ExportSnapshot(ctx context.Context) (name string, err error) {
	err = q.get(ctx, &name, `select pg_export_snapshot()`)
	return name, err
}

// NameAndSchema gives the house's name and the newest migration in its tables.
func (q Q) NameAndSchema(ctx context.Context) (name string, version int64, err error) {
	if err = q.get(ctx, &name, `select name from house`); err == nil {
		version, err = q.schema(ctx)
	}
	return name, version, err
}

func (q Q) schema(ctx context.Context) (version int64, err error) {
	err = q.get(ctx, &version, `select coalesce(max(version_id), 0) from goose_db_version where is_applied`)
	return version, err
}

// GetContext reads one value with a question of the caller's own, as DB does.
func (q Q) GetContext(ctx context.Context, into any, query string, args ...any) error {
	return q.get(ctx, into, query, args...)
}

// SelectContext reads rows with a question of the caller's own, as DB does.
func (q Q) SelectContext(ctx context.Context, into any, query string, args ...any) error {
	return q.all(ctx, into, query, args...)
}

func mapped(err error) error {
	var pg *pgconn.PgError
	switch {
	case err == nil:
		return nil
	case errors.Is(err, sql.ErrNoRows):
		return ErrNotFound
	case errors.As(err, &pg):
		switch {
		case pg.Code == movedCode:
			return ErrMoved
		case pg.Code == "55P03", pg.Code == "57014", pg.Code == "25P03", pg.Code == "53300":
			return fmt.Errorf("%w: %w", ErrBusy, err)
		case pg.Code == "53100":
			return fmt.Errorf("%w: %w", ErrFull, err)
		case pg.Code == "23514" && strings.HasSuffix(pg.ConstraintName, "_letters"):
			return fmt.Errorf("%w: %w", ErrLong, err)
		case pg.Code == "23505":
			return fmt.Errorf("%w (%s): %w", ErrTaken, pg.ConstraintName, err)
		case pg.ConstraintName == "stock_never_below_zero", pg.ConstraintName == "wood_never_below_zero",
			pg.ConstraintName == "tag_stands":
			return fmt.Errorf("%w: %w", ErrShort, err)
		}
	}
	return err
}

func (q Q) get(ctx context.Context, into any, query string, args ...any) error {
	return mapped(sqlx.GetContext(ctx, q.ext, into, query, args...))
}

func (q Q) all(ctx context.Context, into any, query string, args ...any) error {
	return mapped(sqlx.SelectContext(ctx, q.ext, into, query, args...))
}

// rows runs a query whose answer is too long to hold; the caller closes it.
func (q Q) rows(ctx context.Context, query string, args ...any) (*sqlx.Rows, error) {
	rows, err := q.ext.QueryxContext(ctx, query, args...)
	return rows, mapped(err)
}

func (q Q) exec(ctx context.Context, query string, args ...any) (int64, error) {
	r, err := q.ext.ExecContext(ctx, query, args...)
	if err != nil {
		return 0, mapped(err)
	}
	n, err := r.RowsAffected()
	return n, mapped(err)
}

// insertAll runs an insert of many rows, with :names taken from each, and gives their ids by
// code: it ends with "returning code, id".
func (q Q) insertAll(ctx context.Context, query string, rows any) (map[string]int64, error) {
	rs, err := sqlx.NamedQueryContext(ctx, q.ext, query, rows)
	if err != nil {
		return nil, mapped(err)
	}
	defer rs.Close()
	ids := map[string]int64{}
	for rs.Next() {
		var code string
		var id int64
		if err := rs.Scan(&code, &id); err != nil {
			return nil, mapped(err)
		}
		ids[code] = id
	}
	return ids, mapped(rs.Err())
}

// byCode sorts rows by their code.
func byCode[T any](rows []T, code func(T) string) map[string]T {
	m := make(map[string]T, len(rows))
	for _, r := range rows {
		m[code(r)] = r
	}
	return m
}

// named runs a statement with :names taken from a struct.
func (q Q) named(ctx context.Context, query string, arg any) error {
	_, err := sqlx.NamedExecContext(ctx, q.ext, query, arg)
	return mapped(err)
}

// insert runs a named insert that returns an id.
func (q Q) insert(ctx context.Context, query string, arg any) (int64, error) {
	rows, err := sqlx.NamedQueryContext(ctx, q.ext, query, arg)
	if err != nil {
		return 0, mapped(err)
	}
	defer rows.Close()
	var id int64
	if rows.Next() {
		if err := rows.Scan(&id); err != nil {
			return 0, mapped(err)
		}
	}
	return id, mapped(rows.Err())
}

// DoneOnce gives the path that a form's own key led to, if it was used.
func (q Q) DoneOnce(ctx context.Context, key string) (path string, done bool, err error) {
	err = q.get(ctx, &path, `select path from done_once where key = $1`, key)
	if errors.Is(err, ErrNotFound) {
		return "", false, nil
	}
	return path, err == nil, err
}

// Once keeps the path that a form's own key led to. When the key was used
// before, it gives the earlier path and true.
func (q Q) Once(ctx context.Context, key, path string) (string, bool, error) {
	n, err := q.exec(ctx, `insert into done_once (key, path) values ($1, $2) on conflict do nothing`, key, path)
	if err != nil || n == 1 {
		return path, false, err
	}
	var was string
	err = q.get(ctx, &was, `select path from done_once where key = $1`, key)
	return was, true, err
}
