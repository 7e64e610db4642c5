package main

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"unionknot/internal/core/wood"
	"unionknot/internal/standin"
)

// loggerCommand is the simulated store logger as a program of its own: it
// sends readings to a server over HTTP with a key, as a real one would.
func loggerCommand() *cobra.Command {
	var url, key, keyFile, until string
	var hours int
	var setC, byC float64
	var every time.Duration
	var watch bool
	c := &cobra.Command{
		Use:   "logger",
		Short: "Simulate a store logger: send made-up readings to a server with the key of a store",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if keyFile != "" { // an argument stands in the list of processes
				b, err := os.ReadFile(keyFile)
				if err != nil {
					return err
				}
				key = strings.TrimSpace(string(b))
			}
			end := time.Now()
			if until != "" {
				var err error
				if end, err = time.Parse(time.RFC3339, until); err != nil {
					return fmt.Errorf("--until %q is not a time such as 2027-02-23T14:00:00+01:00", until)
				}
			}
			from := end.Add(-time.Duration(hours) * time.Hour)
			l := standin.StoreLogger{SetC: setC, Every: every}
			if byC != 0 {
				l.Trouble = []standin.Trouble{{From: from, To: end.AddDate(1, 0, 0), ByC: byC}}
			}
			for {
				said, err := send(cmd.Context(), http.DefaultClient, url, key, l.Readings(from, end))
				if err != nil {
					return err
				}
				fmt.Fprintln(cmd.OutOrStdout(), said)
				if !watch {
					return nil
				}
				select {
				case <-cmd.Context().Done():
					return nil
				case <-time.After(every):
				}
				from, end = end, time.Now()
			}
		},
	}
	f := c.Flags()
	f.StringVar(&url, "url", "http://127.0.0.1:8080", "the server")
	f.StringVar(&keyFile, "key-file", "", "a file with the key made on the store's page")
	f.StringVar(&key, "key", "", "the key itself, where nobody else looks on")
	f.IntVar(&hours, "hours", 24, "send what it would have read in so many hours before")
	f.StringVar(&until, "until", "", "the last hour to send of; now when empty (a demo house has a day of its own)")
	f.Float64Var(&setC, "set", 1.2, "°C the store is set to")
	f.Float64Var(&byC, "off", 0, "°C by which it runs too warm, or below zero too cold")
	f.DurationVar(&every, "every", 30*time.Minute, "between readings")
	f.BoolVar(&watch, "watch", false, "go on sending")
	return c
}

// send posts readings in messages as large as the intake takes, and gives what
// the server said to the last.
func send(ctx context.Context, client *http.Client, url, key string, rs []wood.Reading) (string, error) {
	const most = 5000
	said := "0 new of 0"
	for len(rs) > 0 {
		n := min(most, len(rs))
		var b strings.Builder
		for _, r := range rs[:n] {
			fmt.Fprintf(&b, "%s,%g\n", r.At.Format(time.RFC3339), r.C)
		}
		req, err := http.NewRequestWithContext(
			ctx,
			http.MethodPost,
			strings.TrimRight(url, "/")+"/intake/store",
			strings.NewReader(b.String()),
		)
		if err != nil {
			return "", err
		}
		req.Header.Set("Authorization", "Bearer "+key)
		a, err := client.Do(req)
		if err != nil {
			return "", fmt.Errorf("sending readings: %w", err)
		}
		text, err := io.ReadAll(io.LimitReader(a.Body, 1<<16))
		a.Body.Close()
		said = strings.TrimSpace(string(text))
		if err != nil {
			return "", fmt.Errorf("sending readings: %w", err)
		}
		if a.StatusCode != http.StatusOK {
			return "", fmt.Errorf("the server would not take them: %s", said)
		}
		rs = rs[n:]
	}
	return said, nil
}
