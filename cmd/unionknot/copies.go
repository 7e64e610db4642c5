package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"time"

	"github.com/spf13/cobra"

	"unionknot/internal/copies"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/store"
)

func backupCommand(s settings) *cobra.Command {
	dir, keep := s.Copies, s.CopiesKept
	c := &cobra.Command{
		Use:   "backup",
		Short: "Copy the house into a folder, read the copy back, and take the oldest away",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if dir == "" {
				return errors.New("say where to: --to FOLDER, or set UNIONKNOT_COPIES")
			}
			db, err := s.open(c.Context())
			if err != nil {
				return err
			}
			defer db.Close()
			path, r, err := copies.Backup(c.Context(), db, s.DB, dir, keep, time.Now())
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "%s: %d bytes, read back whole. It holds %d tables; grafts tied: %s.\n", path, r.Bytes,
				len(r.Holds), r.Holds["grafts tied"])
			return nil
		},
	}
	c.Flags().StringVar(&dir, "to", dir, "the folder for copies")
	c.Flags().IntVar(&keep, "keep", keep, "how many are kept; 0 keeps all")
	return c
}

func restoreCommand(s settings) *cobra.Command {
	check := false
	c := &cobra.Command{
		Use:   "restore FILE",
		Short: "Bring a copy back into an empty database, and hold it to what was copied",
		Args:  cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if check {
				r, err := copies.Verify(args[0])
				if err == nil {
					fmt.Fprintf(c.OutOrStdout(), "%s is as it was made on %s.\n", args[0], r.MadeAt.Format(time.RFC3339))
				}
				return err
			}
			db, dsn, err := s.owning(c.Context())
			if err != nil {
				return err
			}
			defer db.Close()
			r, err := copies.Restore(c.Context(), db, dsn, args[0])
			if err != nil {
				return err
			}
			if err := s.grant(c.Context(), db); err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "%s is back as on %s: every table has as many rows, the ledgers, balances and counts agree. "+
				"Everybody signs in anew.\n", r.House, r.MadeAt.Format(time.RFC3339))
			return nil
		},
	}
	c.Flags().BoolVar(&check, "check", false, "only say whether the copy is as it was made")
	return c
}

func exportCommand(s settings) *cobra.Command {
	return &cobra.Command{
		Use:   "export FILE.zip",
		Short: "Write the whole house as a data package: CSV files and their descriptor, without secrets",
		Args:  cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			db, err := s.open(c.Context())
			if err != nil {
				return err
			}
			defer db.Close()
			f, err := os.OpenFile(args[0]+".part", os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o600)
			if err != nil {
				return err
			}
			defer os.Remove(f.Name())
			defer f.Close()
			if err := copies.Export(c.Context(), db, f, time.Now()); err != nil {
				return err
			}
			if err := errors.Join(f.Sync(), f.Close()); err != nil {
				return err
			}
			return os.Rename(f.Name(), args[0])
		},
	}
}

func importCommand(s settings) *cobra.Command {
	return &cobra.Command{
		Use:   "import FILE.zip",
		Short: "Bring a data package into a house that has nothing in it yet",
		Args:  cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			f, err := os.Open(args[0])
			if err != nil {
				return err
			}
			defer f.Close()
			at, err := f.Stat()
			if err != nil {
				return err
			}
			if err := s.current(c.Context()); err != nil {
				return err
			}
			db, _, err := s.owning(c.Context())
			if err != nil {
				return err
			}
			defer db.Close()
			if err := copies.Import(c.Context(), db, f, at.Size()); err != nil {
				return err
			}
			n, err := stages.New(c.Context(), db, s.logger())
			if err != nil {
				return err
			}
			given, err := n.GivePasswords(c.Context())
			if err != nil {
				return err
			}
			fmt.Fprintln(c.OutOrStdout(), "The house is here; its sums agree. Passwords and PINs do not travel. For now:")
			for _, g := range given {
				fmt.Fprintf(c.OutOrStdout(), "  %s signs in as %s with %s\n", g.Name, g.SignIn, g.Password)
			}
			return nil
		},
	}
}

// copyEvery is how old the newest copy may be before another is made.
const copyEvery = 24 * time.Hour

// keepCopies makes a copy each night, or as soon as the newest is a day old, until ctx
// ends. Of several servers with one folder one makes it.
func keepCopies(ctx context.Context, s settings, db *store.DB, log *slog.Logger, every time.Duration) {
	t := time.NewTicker(every)
	defer t.Stop()
	for {
		if newest, err := copies.Newest(s.Copies); err != nil || time.Since(newest) >= copyEvery-every {
			err := db.Alone(ctx, "copies", func() error {
				if newest, err := copies.Newest(s.Copies); err == nil && time.Since(newest) < copyEvery-every {
					return nil // another server made it meanwhile
				}
				path, r, err := copies.Backup(ctx, db, s.DB, s.Copies, s.CopiesKept, time.Now())
				if err == nil {
					log.Info("the house is copied", "to", path, "bytes", r.Bytes)
				}
				return err
			})
			if err != nil && ctx.Err() == nil {
				log.Error("no copy could be made", "err", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-t.C:
		}
	}
}
