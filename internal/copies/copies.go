// Package copies makes copies of a whole house and brings them back: dumps of the
// database, each with a record of what it must hold, and data packages, which are zips
// of CSV files that any program reads.
package copies

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"unionknot/internal/store"
)

// Record is what a copy must hold, written beside it.
type Record struct {
	MadeAt time.Time         `json:"made_at"`
	Schema int64             `json:"schema"` // the newest migration in it
	House  string            `json:"house"`
	Bytes  int64             `json:"bytes"`
	SHA256 string            `json:"sha256"`
	Holds  map[string]string `json:"holds"` // rows by table, and sums of ledgers, balances and counts
}

// Problems that people mend.
var (
	ErrBroken   = errors.New("the copy is broken")
	ErrNotEmpty = errors.New("the database is not empty")
	ErrDiffers  = errors.New("what was brought back is not what was copied")
	ErrNoTool   = errors.New("PostgreSQL's own tools are not here: install the package postgresql-client")
)

// notCopied are tables whose rows are no part of the house: who is signed in.
var notCopied = []string{"sessions"}

// sums are what must agree within a house: each question gives one figure.
var sums = map[string]string{
	"ledger of stems":    `select coalesce(sum(n), 0) || ' in ' || count(*) from stock_ledger`,
	"balances of stems":  `select coalesce(sum(n), 0) || ' in ' || count(*) from stock_balance`,
	"ledger of pieces":   `select coalesce(sum(n), 0) || ' in ' || count(*) from wood_ledger`,
	"balances of pieces": `select coalesce(sum(n), 0) || ' in ' || count(*) from wood_balance`,
	"grafts tied":        `select coalesce(sum(tied), 0) || ' on ' || count(*) from any_tag`,
	"trees standing":     `select coalesce(sum(standing), 0) || ' on ' || count(*) filter (where standing > 0) from any_tag`,
	"takes counted": `select coalesce(sum(taken), 0) || ', ' || coalesce(sum(doubtful), 0) || ', ' || coalesce(sum(dead), 0) from
		take_count`,
}

// wrongs are what must not be in a house: each gives how many there are.
var wrongs = map[string]string{
	"balances of stems that are not their ledger's": `select count(*) from (select lot_id, account, sum(n) as n from (
		select lot_id, to_account as account, n from stock_ledger union all select lot_id, from_account, -n from stock_ledger) x
		where account <> 'outside' group by 1, 2) l full join (select * from stock_balance where account <> 'outside') b using (lot_id,
		account)
		where coalesce(l.n, 0) <> coalesce(b.n, 0)`,
	"balances of pieces that are not their ledger's": `select count(*) from (select bundle_id, account, sum(n) as n from (
		select bundle_id, to_account as account, n from wood_ledger union all select bundle_id, from_account, -n from wood_ledger) x
		where account <> 'outside' group by 1, 2) l full join (select * from wood_balance where account <> 'outside') b using (bundle_id,
		account)
		where coalesce(l.n, 0) <> coalesce(b.n, 0)`,
	"tags whose grafts are not those of their taps": `select count(*) from any_tag t where exists (select 1 from tap y
			where coalesce(y.counts_on, y.tag_id) = t.id) and tied <> (select coalesce(sum(y.n), 0) from tap y
		where coalesce(y.counts_on, y.tag_id) = t.id and y.kind = 'tied' and y.held is null
		and not exists (select 1 from tap u where u.undoes = y.id and u.held is null))`,
	"counts of more than were tied": `select count(*) from take_count c join any_tag t on t.id = c.tag_id where c.stood > t.tied`,
	"tags whose grafts do not add up": `select count(*) from any_tag where finished_at is not null and look_id is not null
		and tied <> standing + gone + lost`,
	"counts with more causes than dead": `select count(*) from take_count c where c.dead < (select coalesce(sum(n), 0) from count_cause x
		where x.count_id = c.id)`,
}

type asker interface {
	GetContext(ctx context.Context, into any, query string, args ...any) error
	SelectContext(ctx context.Context, into any, query string, args ...any) error
}

// tables lists the tables of a house, but for those that are not copied.
func tables(ctx context.Context, db asker) (names []string, err error) {
	err = db.SelectContext(ctx, &names, `select c.relname from pg_class c where c.relnamespace = 'public'::regnamespace and c.relkind = 'r'
		and c.relname <> all($1) order by 1`, append([]string{"goose_db_version"}, notCopied...))
	return names, err
}

// holdsOf counts what a house holds.
func holdsOf(ctx context.Context, db asker) (map[string]string, error) {
	names, err := tables(ctx, db)
	if err != nil {
		return nil, err
	}
	holds := map[string]string{}
	for _, t := range names {
		var n string
		if err := db.GetContext(ctx, &n, `select count(*)::text from `+t); err != nil {
			return nil, fmt.Errorf("counting %s: %w", t, err)
		}
		holds["rows of "+t] = n
	}
	for what, q := range sums {
		var n string
		if err := db.GetContext(ctx, &n, q); err != nil {
			return nil, fmt.Errorf("%s: %w", what, err)
		}
		holds[what] = n
	}
	return holds, nil
}

// Check says what is wrong within a house: nothing, if all of its sums agree.
func Check(ctx context.Context, db *store.DB) (wrong []string, err error) {
	for what, q := range wrongs {
		var n int
		if err := db.GetContext(ctx, &n, q); err != nil {
			return nil, fmt.Errorf("%s: %w", what, err)
		}
		if n > 0 {
			wrong = append(wrong, fmt.Sprintf("%d %s", n, what))
		}
	}
	slices.Sort(wrong)
	return wrong, nil
}

func tool(name string) (string, error) {
	if p, err := exec.LookPath(name); err == nil {
		return p, nil
	}
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/" + name)
	if len(found) == 0 {
		return "", ErrNoTool
	}
	slices.Sort(found)
	return found[len(found)-1], nil
}

// run runs one of PostgreSQL's tools on a database, whose address and password stand in
// its environment, where other users of the machine do not see them.
func run(ctx context.Context, dsn, name string, args ...string) error {
	path, err := tool(name)
	if err != nil {
		return err
	}
	conf, err := pgx.ParseConfig(dsn)
	if err != nil {
		return fmt.Errorf("reading the database's address: %w", err)
	}
	var says strings.Builder
	c := exec.CommandContext(ctx, path, args...)
	c.Env = append(os.Environ(), "PGHOST="+conf.Host, "PGPORT="+strconv.Itoa(int(conf.Port)), "PGUSER="+conf.User,
		"PGPASSWORD="+conf.Password, "PGDATABASE="+conf.Database)
	if u, err := url.Parse(dsn); err == nil { // as careful of the line as the server itself
		for asked, variable := range map[string]string{"sslmode": "PGSSLMODE", "sslrootcert": "PGSSLROOTCERT", "sslcert": "PGSSLCERT",
			"sslkey": "PGSSLKEY"} {
			if v := u.Query().Get(asked); v != "" {
				c.Env = append(c.Env, variable+"="+v)
			}
		}
	}
	if role := conf.RuntimeParams["role"]; role != "" {
		c.Env = append(c.Env, "PGOPTIONS=-c role="+role)
	}
	c.Stderr, c.Stdout = &says, &says
	if err := c.Run(); err != nil {
		return fmt.Errorf("%s: %w: %s", name, err, strings.TrimSpace(says.String()))
	}
	return nil
}

const (
	dumpName = "unionknot-20060102T150405Z"
	dumpEnds = ".dump"
)

// Backup copies a house into a folder, reads the copy back, and takes the oldest away
// beyond so many. It gives the copy's path. What it counts is of the same moment as the
// copy. A copy that is not whole is left under no name that Newest would find.
func Backup(ctx context.Context, db *store.DB, dsn, dir string, keep int, now time.Time) (path string, r Record, err error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", r, fmt.Errorf("the folder for copies: %w", err)
	}
	r.MadeAt = now.UTC()
	path = filepath.Join(dir, r.MadeAt.Format(dumpName)+dumpEnds)
	part := path + ".part"
	defer os.Remove(part)
	if err := os.WriteFile(part, nil, 0o600); err != nil { // pg_dump keeps whose it is
		return "", r, fmt.Errorf("writing the copy: %w", err)
	}
	err = db.Look(ctx, func(q store.Q) error {
		snapshot, err := q.ExportSnapshot(ctx)
		if err != nil {
			return err
		}
		if r.House, r.Schema, err = q.NameAndSchema(ctx); err != nil {
			return err
		}
		if r.Holds, err = holdsOf(ctx, q); err != nil {
			return err
		}
		args := []string{"--snapshot=" + snapshot, "--format=custom", "--no-owner", "--no-privileges", "--file=" + part}
		for _, t := range notCopied {
			args = append(args, "--exclude-table-data=public."+t)
		}
		return run(ctx, dsn, "pg_dump", args...)
	})
	if err != nil {
		return "", r, fmt.Errorf("copying the house: %w", err)
	}
	// Read back whole: every block of it is unpacked.
	if err := run(ctx, dsn, "pg_restore", "--file="+os.DevNull, part); err != nil {
		return "", r, fmt.Errorf("%w: %w", ErrBroken, err)
	}
	if r.Bytes, r.SHA256, err = sumOf(part); err != nil {
		return "", r, err
	}
	if err := sync(part); err != nil {
		return "", r, fmt.Errorf("writing the copy: %w", err)
	}
	b, err := json.MarshalIndent(r, "", "  ")
	if err != nil {
		return "", r, err
	}
	if err := os.WriteFile(path+".json", b, 0o600); err != nil {
		return "", r, fmt.Errorf("writing what the copy holds: %w", err)
	}
	if err := sync(path + ".json"); err != nil {
		return "", r, err
	}
	if err := os.Rename(part, path); err != nil {
		return "", r, err
	}
	if err := db.Q().SetCopied(ctx, r.MadeAt, r.Bytes); err != nil {
		return "", r, fmt.Errorf("noting the copy: %w", err)
	}
	return path, r, rotate(dir, keep)
}

func sync(path string) error {
	f, err := os.OpenFile(path, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	defer f.Close()
	return f.Sync()
}

func sumOf(path string) (int64, string, error) {
	f, err := os.Open(path)
	if err != nil {
		return 0, "", err
	}
	defer f.Close()
	h := sha256.New()
	n, err := io.Copy(h, f)
	return n, hex.EncodeToString(h.Sum(nil)), err
}

// copiesIn lists the copies in a folder, the oldest first.
func copiesIn(dir string) ([]string, error) {
	all, err := filepath.Glob(filepath.Join(dir, "unionknot-*Z"+dumpEnds))
	slices.Sort(all)
	return all, err
}

func rotate(dir string, keep int) error {
	all, err := copiesIn(dir)
	if err != nil || keep < 1 || len(all) <= keep {
		return err
	}
	for _, old := range all[:len(all)-keep] {
		if err := errors.Join(os.Remove(old), os.Remove(old+".json")); err != nil && !errors.Is(err, os.ErrNotExist) {
			return fmt.Errorf("taking an old copy away: %w", err)
		}
	}
	return nil
}

// Newest gives when the newest copy in a folder was made; zero where there is none.
func Newest(dir string) (time.Time, error) {
	all, err := copiesIn(dir)
	if err != nil || len(all) == 0 {
		return time.Time{}, err
	}
	return time.Parse(dumpName+dumpEnds, filepath.Base(all[len(all)-1]))
}

// Verify reads a copy's record and says whether the copy is as it was written.
func Verify(path string) (r Record, err error) {
	b, err := os.ReadFile(path + ".json")
	if err != nil {
		return r, fmt.Errorf("%w: what it holds is not written beside it: %w", ErrBroken, err)
	}
	if err := json.Unmarshal(b, &r); err != nil {
		return r, fmt.Errorf("%w: %w", ErrBroken, err)
	}
	n, sum, err := sumOf(path)
	if err != nil {
		return r, err
	}
	if n != r.Bytes || sum != r.SHA256 {
		return r, fmt.Errorf("%w: it has %d bytes that do not add up to those of %d when it was made", ErrBroken, n, r.Bytes)
	}
	return r, nil
}

// Restore brings a copy back into an empty database, all of it or nothing, and holds
// what came back to what was copied, and its sums to each other.
func Restore(ctx context.Context, db *store.DB, dsn, path string) (Record, error) {
	r, err := Verify(path)
	if err != nil {
		return r, err
	}
	there, err := tables(ctx, db)
	if err != nil {
		return r, err
	}
	if len(there) > 0 {
		return r, fmt.Errorf("%w: it has %d tables. Make a new one, and give its address", ErrNotEmpty, len(there))
	}
	if err := run(ctx, dsn, "pg_restore", "--dbname="+database(dsn), "--no-owner", "--no-privileges", "--exit-on-error",
		"--single-transaction", path); err != nil {
		return r, fmt.Errorf("bringing the house back: %w", err)
	}
	return r, agrees(ctx, db, r.Holds)
}

// database is the name of the database that an address leads to.
func database(dsn string) string {
	conf, err := pgx.ParseConfig(dsn)
	if err != nil {
		return ""
	}
	return conf.Database
}

// agrees holds a house to what it must hold.
func agrees(ctx context.Context, db *store.DB, want map[string]string) error {
	have, err := holdsOf(ctx, db)
	if err != nil {
		return err
	}
	var differs []string
	for what, n := range want {
		if have[what] != n {
			differs = append(differs, fmt.Sprintf("%s: %s, and %s was copied", what, have[what], n))
		}
	}
	wrong, err := Check(ctx, db)
	if err != nil {
		return err
	}
	if differs = append(differs, wrong...); len(differs) > 0 {
		slices.Sort(differs)
		return fmt.Errorf("%w: %s", ErrDiffers, strings.Join(differs, "; "))
	}
	return nil
}
