package main

import (
	"fmt"
	"runtime"

	"github.com/spf13/cobra"

	"unionknot/internal/store"
)

// Set when a release is built.
var (
	version = "of the sources"
	commit  = ""
)

func versionCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "version",
		Short: "Say which Union Knot this is, and which tables it knows",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			tables, err := store.Newest()
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "Union Knot %s %s\ntables %d, %s, %s/%s\n",
				version, commit, tables, runtime.Version(), runtime.GOOS, runtime.GOARCH)
			return nil
		},
	}
}
