// Command unionknot plans and runs bench grafting and budding for a nursery.
package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"syscall"

	"github.com/caarlos0/env/v11"
	"github.com/spf13/cobra"

	"unionknot/internal/store"
)

// settings come from the environment.
type settings struct {
	DB            string `env:"UNIONKNOT_DB"`       // as the role that serves
	OwnerDB       string `env:"UNIONKNOT_OWNER_DB"` // as the tables' owner; "" where the server is not given it
	Listen        string `env:"UNIONKNOT_LISTEN" envDefault:"127.0.0.1:8080"`
	Metrics       string `env:"UNIONKNOT_METRICS" envDefault:"127.0.0.1:9464"`
	SecureCookies bool   `env:"UNIONKNOT_SECURE_COOKIES"`
	Hosts         string `env:"UNIONKNOT_HOSTS"`     // names under which the house answers, with commas between; "" for any
	Proxies       string `env:"UNIONKNOT_PROXIES"`   // addresses or networks of proxies whose X-Forwarded-For is taken, with commas between
	DemoOpen      bool   `env:"UNIONKNOT_DEMO_OPEN"` // a demo may be reached from other machines
	LogJSON       bool   `env:"UNIONKNOT_LOG_JSON"`
	Copies        string `env:"UNIONKNOT_COPIES"`                      // the folder for nightly copies; "" for none
	CopiesKept    int    `env:"UNIONKNOT_COPIES_KEPT" envDefault:"14"` // how many
}

// readSettings reads them. A default stands for what is not set; where metrics are set to
// nothing, or to none, there are none.
func readSettings() (settings, error) {
	s, err := env.ParseAs[settings]()
	if at, set := os.LookupEnv("UNIONKNOT_METRICS"); set && (at == "" || at == "none") {
		s.Metrics = ""
	}
	return s, err
}

func (s settings) open(ctx context.Context) (*store.DB, error) {
	if s.DB == "" {
		return nil, fmt.Errorf("UNIONKNOT_DB is not set: give the database's address, or use make demo or make run, which start one")
	}
	return store.Open(ctx, s.DB)
}

// owning opens the house as the owner of its tables, and gives the address of that.
// Without an address of the owner's own it is that of the server.
func (s settings) owning(ctx context.Context) (*store.DB, string, error) {
	if s.DB == "" || s.OwnerDB == "" {
		db, err := s.open(ctx)
		return db, s.DB, err
	}
	db, err := store.Open(ctx, s.OwnerDB)
	return db, s.OwnerDB, err
}

// grant lets the server do what it does, on the owner's tables.
func (s settings) grant(ctx context.Context, owner *store.DB) error {
	if s.OwnerDB == "" || s.OwnerDB == s.DB {
		return nil
	}
	role, err := store.RoleOf(s.DB)
	if err != nil {
		return err
	}
	return owner.GrantTo(ctx, role)
}

// current brings the tables up to date as their owner, and lets the server in.
func (s settings) current(ctx context.Context) error {
	owner, _, err := s.owning(ctx)
	if err != nil {
		return err
	}
	defer owner.Close()
	if err := owner.Migrate(ctx); err != nil {
		return err
	}
	return s.grant(ctx, owner)
}

// housed opens the house for the server: with the tables up to date, and as a role that
// cannot change them.
func (s settings) housed(ctx context.Context, log *slog.Logger) (*store.DB, error) {
	if s.OwnerDB != "" {
		if err := s.current(ctx); err != nil {
			return nil, err
		}
	}
	db, err := s.open(ctx)
	if err != nil {
		return nil, err
	}
	if err := s.stand(ctx, db, log); err != nil {
		db.Close()
		return nil, err
	}
	return db, nil
}

func (s settings) stand(ctx context.Context, db *store.DB, log *slog.Logger) error {
	as, err := db.Standing(ctx)
	switch {
	case err != nil:
		return err
	case as.Super:
		return store.ErrTooStrong
	case as.Owner:
		log.Warn("the server owns the tables and could change them; docs/operations.md says how to part the two", "role", as.Role)
		return db.Migrate(ctx)
	}
	pending, err := db.Pending(ctx)
	if err == nil && pending {
		err = errors.New("the tables are not up to date: run unionknot migrate with UNIONKNOT_OWNER_DB set, and start again")
	}
	return err
}

func (s settings) logger() *slog.Logger {
	if s.LogJSON {
		return slog.New(slog.NewJSONHandler(os.Stderr, nil))
	}
	return slog.New(slog.NewTextHandler(os.Stderr, nil))
}

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	s, err := readSettings()
	if err != nil {
		fmt.Fprintln(os.Stderr, "unionknot:", err)
		os.Exit(2)
	}
	root := &cobra.Command{Use: "unionknot", Short: "Plans and runs bench grafting and budding", SilenceUsage: true, SilenceErrors: true}
	root.AddCommand(serveCommand(s), migrateCommand(s), demoCommand(s), calcCommand(), loggerCommand(), versionCommand(),
		backupCommand(s), restoreCommand(s), exportCommand(s), importCommand(s), accountCommand(s))
	if err := root.ExecuteContext(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "unionknot:", err)
		os.Exit(exitCode(err))
	}
}
