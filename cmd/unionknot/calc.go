package main

import (
	"bufio"
	"errors"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"unionknot/internal/calc"
)

func calcCommand() *cobra.Command {
	kinds := slices.Sorted(maps.Keys(calc.Kinds))
	return &cobra.Command{
		Use:       "calc " + strings.Join(kinds, "|"),
		Short:     "Answer a question from standard input with the core's arithmetic",
		Args:      cobra.ExactArgs(1),
		ValidArgs: kinds,
		RunE: func(_ *cobra.Command, args []string) error {
			do, ok := calc.Kinds[args[0]]
			if !ok {
				return fmt.Errorf("%w: no question is called %q; there are %s", calc.ErrInput, args[0], strings.Join(kinds, ", "))
			}
			out := bufio.NewWriter(os.Stdout)
			if err := do(bufio.NewReader(os.Stdin), out); err != nil {
				return err
			}
			return out.Flush()
		},
	}
}

// exitCode is 2 for input that cannot be read, 1 for anything else.
func exitCode(err error) int {
	if errors.Is(err, calc.ErrInput) {
		return 2
	}
	return 1
}
