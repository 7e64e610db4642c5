// Command unionknot plans and runs bench grafting and budding for a nursery.
package main

import (
	"context"
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
	DB            string `env:"UNIONKNOT_DB"`
	Listen        string `env:"UNIONKNOT_LISTEN" envDefault:"127.0.0.1:8080"`
	Metrics       string `env:"UNIONKNOT_METRICS" envDefault:"127.0.0.1:9464"`
	SecureCookies bool   `env:"UNIONKNOT_SECURE_COOKIES"`
	Hosts         string `env:"UNIONKNOT_HOSTS"`     // names under which the house answers, with commas between; "" for any
	DemoOpen      bool   `env:"UNIONKNOT_DEMO_OPEN"` // a demo may be reached from other machines
	LogJSON       bool   `env:"UNIONKNOT_LOG_JSON"`
	Copies        string `env:"UNIONKNOT_COPIES"`                      // the folder for nightly copies; "" for none
	CopiesKept    int    `env:"UNIONKNOT_COPIES_KEPT" envDefault:"14"` // how many
}

func (s settings) open(ctx context.Context) (*store.DB, error) {
	if s.DB == "" {
		return nil, fmt.Errorf("UNIONKNOT_DB is not set: give the database's address, or use make demo or make run, which start one")
	}
	db, err := store.Open(ctx, s.DB)
	if err != nil {
		return nil, err
	}
	return db, nil
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
	s, err := env.ParseAs[settings]()
	if err != nil {
		fmt.Fprintln(os.Stderr, "unionknot:", err)
		os.Exit(2)
	}
	root := &cobra.Command{Use: "unionknot", Short: "Plans and runs bench grafting and budding", SilenceUsage: true, SilenceErrors: true}
	root.AddCommand(serveCommand(s), migrateCommand(s), demoCommand(s), calcCommand(), loggerCommand(),
		backupCommand(s), restoreCommand(s), exportCommand(s), importCommand(s), accountCommand(s))
	if err := root.ExecuteContext(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "unionknot:", err)
		os.Exit(exitCode(err))
	}
}
