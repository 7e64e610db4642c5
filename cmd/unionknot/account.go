package main

import (
	"context"
	"errors"
	"fmt"
	"text/tabwriter"
	"time"

	"github.com/spf13/cobra"

	"unionknot/internal/nursery"
	"unionknot/internal/nursery/access"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/store"
)

// accountCommand is the last way in: whoever may use the machine may let people in.
func accountCommand(s settings) *cobra.Command {
	root := &cobra.Command{Use: "account", Short: "Who may sign in: list, reset, unlock, make a propagator"}
	with := func(use, short string, args cobra.PositionalArgs, do func(c *cobra.Command, k access.Console, people func() ([]store.Person,
		error),
		args []string) error) {
		root.AddCommand(&cobra.Command{Use: use, Short: short, Args: args, RunE: func(c *cobra.Command, args []string) error {
			db, err := s.open(c.Context())
			if err != nil {
				return err
			}
			defer db.Close()
			n, err := stages.New(c.Context(), db, s.logger())
			if err != nil {
				return err
			}
			people := func() ([]store.Person, error) { return db.Q().People(c.Context()) }
			return do(c, access.Console{Stage: n.AccessStage()}, people, args)
		}})
	}
	with("list", "List everybody", cobra.NoArgs, func(c *cobra.Command, _ access.Console, people func() ([]store.Person, error),
		_ []string) error {
		ps, err := people()
		if err != nil {
			return err
		}
		w := tabwriter.NewWriter(c.OutOrStdout(), 2, 4, 2, ' ', 0)
		fmt.Fprintln(w, "NAME\tSIGNS IN AS\tROLE\tPASSWORD\tPIN\tLEFT")
		for _, p := range ps {
			left := ""
			if p.LeftOn != nil {
				left = p.LeftOn.Format(time.DateOnly)
			}
			fmt.Fprintf(w, "%s\t%s\t%s\t%v\t%v\t%s\n", p.Name, p.SignIn, p.Role, p.PasswordHash != nil, p.PINHash != nil, left)
		}
		return w.Flush()
	})
	one := cobra.ExactArgs(1)
	with("reset SIGN-IN", "Make a code with which they set a new password or PIN", one,
		func(c *cobra.Command, k access.Console, _ func() ([]store.Person, error), args []string) error {
			return withPerson(c.Context(), k, args[0], func(p store.Person) error {
				code, until, err := k.Reset(c.Context(), p.ID)
				if err == nil {
					fmt.Fprintf(c.OutOrStdout(), "%s, once, until %s, under /reset: %s\n", p.Name, until.Format(time.RFC3339), code)
				}
				return err
			})
		})
	with("unlock SIGN-IN", "Let them try again at once", one,
		func(c *cobra.Command, k access.Console, _ func() ([]store.Person, error), args []string) error {
			return withPerson(c.Context(), k, args[0], func(p store.Person) error { return k.Unlock(c.Context(), p.ID) })
		})
	with("propagator SIGN-IN", "Make them a propagator, back if they have left, with a code", one,
		func(c *cobra.Command, k access.Console, _ func() ([]store.Person, error), args []string) error {
			return withPerson(c.Context(), k, args[0], func(p store.Person) error {
				code, until, err := k.Propagator(c.Context(), p.ID)
				if err == nil {
					fmt.Fprintf(c.OutOrStdout(), "%s is a propagator. Once, until %s, under /reset: %s\n", p.Name,
						until.Format(time.RFC3339), code)
				}
				return err
			})
		})
	return root
}

func withPerson(ctx context.Context, k access.Console, signIn string, do func(store.Person) error) error {
	p, err := k.Find(ctx, signIn)
	if errors.Is(err, nursery.ErrNotFound) {
		return fmt.Errorf("nobody signs in as %q: unionknot account list", signIn)
	}
	if err != nil {
		return err
	}
	return do(p)
}
