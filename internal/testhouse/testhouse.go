// Package testhouse gives each test a database of its own on the PostgreSQL
// that make test starts.
package testhouse

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"net/url"
	"os"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"unionknot/internal/demo"
	"unionknot/internal/store"
)

// Quiet is a log that nobody reads.
var Quiet = slog.New(slog.NewTextHandler(io.Discard, nil))

type template struct {
	once sync.Once
	name string
	err  error
}

var (
	empty, withDemo template
	number          atomic.Int64
)

func server() (string, error) {
	dsn := os.Getenv("UNIONKNOT_TEST_DB")
	if dsn == "" {
		return "", fmt.Errorf("UNIONKNOT_TEST_DB is not set: run make test, which starts a PostgreSQL for the tests")
	}
	return dsn, nil
}

// The roles that scripts/roles.sql makes.
const (
	ownerRole = "unionknot_owner"
	appRole   = "unionknot"
)

// named is the address of a database on the tests' server, with the rights of a role.
func named(dsn, db, role string) string {
	u, _ := url.Parse(dsn) // made by scripts/postgres
	u.Path = "/" + db
	q := u.Query()
	q.Set("role", role)
	u.RawQuery = q.Encode()
	return u.String()
}

func fresh() string {
	return fmt.Sprintf("ukt_%d_%d_%d", time.Now().Unix(), os.Getpid(), number.Add(1))
}

// admin runs statements on the server's own database.
func admin(dsn string, statements ...string) error {
	db, err := store.Open(context.Background(), dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	for _, s := range statements {
		if _, err := db.Exec(s); err != nil {
			return err
		}
	}
	return nil
}

// sweep drops what runs of over an hour ago left behind.
func sweep(dsn string) error {
	db, err := store.Open(context.Background(), dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	var names []string
	if err := db.Select(&names, `select datname from pg_database where datname like 'ukt\_%'`); err != nil {
		return err
	}
	for _, n := range names {
		var at, pid, k int64
		if _, err := fmt.Sscanf(n, "ukt_%d_%d_%d", &at, &pid, &k); err == nil && time.Now().Unix()-at > 3600 {
			db.Exec(`drop database if exists ` + n + ` with (force)`) // another run may sweep too
		}
	}
	return nil
}

func (t *template) make(dsn string, fill func(context.Context, *store.DB) error) (string, error) {
	t.once.Do(func() {
		if t.err = sweep(dsn); t.err != nil {
			return
		}
		t.name = fresh()
		if t.err = admin(dsn, `create database `+t.name+` owner `+ownerRole); t.err != nil {
			return
		}
		if t.err = migrate(named(dsn, t.name, ownerRole)); t.err != nil {
			return
		}
		db, err := store.Open(context.Background(), named(dsn, t.name, ownerRole))
		if err != nil {
			t.err = err
			return
		}
		defer db.Close()
		t.err = fill(context.Background(), db)
	})
	return t.name, t.err
}

// migrate brings a database's tables up to date, as their owner, and lets the server in.
func migrate(dsn string) error {
	ctx := context.Background()
	db, err := store.Open(ctx, dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	if err := db.Migrate(ctx); err != nil {
		return err
	}
	return db.GrantTo(ctx, appRole)
}

func clone(t testing.TB, from *template, fill func(context.Context, *store.DB) error) *store.DB {
	t.Helper()
	dsn, err := server()
	require.NoError(t, err)
	tmpl, err := from.make(dsn, fill)
	require.NoError(t, err)
	name := fresh()
	require.NoError(t, admin(dsn, `create database `+name+` template `+tmpl+` owner `+ownerRole))
	db, err := store.Open(context.Background(), named(dsn, name, appRole))
	require.NoError(t, err)
	if n, err := strconv.Atoi(os.Getenv("UNIONKNOT_TEST_POOL")); err == nil { // a pool of one finds who waits for themselves
		db.SetMaxOpenConns(n)
	}
	t.Cleanup(func() {
		db.Close()
		if err := admin(dsn, `drop database `+name+` with (force)`); err != nil && !strings.Contains(err.Error(), "does not exist") {
			t.Log(err)
		}
	})
	return db
}

// Empty gives a migrated database with nothing in it.
func Empty(t testing.TB) *store.DB {
	return clone(t, &empty, func(context.Context, *store.DB) error { return nil })
}

// Beside opens another pool on a test's database, as a second server has, of so
// many connections at most.
func Beside(t testing.TB, db *store.DB, most int) *store.DB {
	t.Helper()
	dsn, err := server()
	require.NoError(t, err)
	var name string
	require.NoError(t, db.Get(&name, `select current_database()`))
	other, err := store.Open(context.Background(), named(dsn, name, appRole))
	require.NoError(t, err)
	other.SetMaxOpenConns(most)
	t.Cleanup(func() { other.Close() })
	return other
}

// Demo gives a database with the made-up nursery in it.
func Demo(t testing.TB) *store.DB {
	return clone(t, &withDemo, func(ctx context.Context, db *store.DB) error { return demo.Load(ctx, db, Quiet, demo.Options{}) })
}

// Owner opens a test's database as the owner of its tables, who may do what the server
// may not.
func Owner(t testing.TB, db *store.DB) *store.DB {
	t.Helper()
	dsn, err := server()
	require.NoError(t, err)
	var name string
	require.NoError(t, db.Get(&name, `select current_database()`))
	own, err := store.Open(context.Background(), named(dsn, name, ownerRole))
	require.NoError(t, err)
	t.Cleanup(func() { own.Close() })
	return own
}

// Bare gives a database with no tables in it, as its owner.
func Bare(t testing.TB) *store.DB {
	t.Helper()
	dsn, err := server()
	require.NoError(t, err)
	name := fresh()
	require.NoError(t, admin(dsn, `create database `+name+` owner `+ownerRole))
	db, err := store.Open(context.Background(), named(dsn, name, ownerRole))
	require.NoError(t, err)
	t.Cleanup(func() {
		db.Close()
		if err := admin(dsn, `drop database `+name+` with (force)`); err != nil {
			t.Log(err)
		}
	})
	return db
}

// Address gives the address of a test's database, with the rights that db has.
func Address(t testing.TB, db *store.DB) string {
	t.Helper()
	dsn, err := server()
	require.NoError(t, err)
	var name string
	var role string
	require.NoError(t, db.QueryRow(`select current_database(), current_user`).Scan(&name, &role))
	return named(dsn, name, role)
}

// Config gives what a test's database is reached with.
func Config(t testing.TB, db *store.DB) *pgx.ConnConfig {
	t.Helper()
	conf, err := pgx.ParseConfig(Address(t, db))
	require.NoError(t, err)
	return conf
}
