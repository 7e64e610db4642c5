package nursery

import (
	"context"
	"fmt"
	"os"
	"strings"
	"time"
	_ "time/tzdata" // a machine may have none

	"unionknot/internal/store"
)

// Zone gives the house's time zone. A house that has none yet takes that of this
// machine, and keeps it: from then on servers in any zone agree on its days.
func Zone(ctx context.Context, db *store.DB) (*time.Location, error) {
	name := ""
	err := db.Tx(ctx, func(q store.Q) error {
		h, err := q.LockHouse(ctx)
		if err != nil {
			return err
		}
		if name = h.TimeZone; name != "" {
			return nil
		}
		name = machineZone()
		h.TimeZone = name
		return q.UpdateHouse(ctx, h)
	})
	if err != nil {
		return nil, fmt.Errorf("reading the house's time zone: %w", err)
	}
	at, err := time.LoadLocation(name)
	if err != nil {
		return nil, fmt.Errorf("the house's time zone: %w", err)
	}
	return at, nil
}

// machineZone names this machine's time zone, as far as it can be told; else UTC.
func machineZone() string {
	candidates := []string{os.Getenv("TZ")}
	if b, err := os.ReadFile("/etc/timezone"); err == nil {
		candidates = append(candidates, strings.TrimSpace(string(b)))
	}
	if to, err := os.Readlink("/etc/localtime"); err == nil {
		if _, name, ok := strings.Cut(to, "zoneinfo/"); ok {
			candidates = append(candidates, name)
		}
	}
	for _, name := range candidates {
		if name == "" || name == "Local" || strings.HasPrefix(name, ":") || strings.HasPrefix(name, "/") {
			continue
		}
		if _, err := time.LoadLocation(name); err == nil {
			return name
		}
	}
	return "UTC"
}
