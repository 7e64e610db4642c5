package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"os"
	"runtime/debug"
	"strings"
	"syscall"
	"time"

	"github.com/prometheus/client_golang/prometheus/promhttp"
	"github.com/spf13/cobra"

	"unionknot/internal/demo"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/store"
	"unionknot/internal/web"
)

func migrateCommand(s settings) *cobra.Command {
	return &cobra.Command{
		Use:   "migrate",
		Short: "Bring the database's tables up to date, as their owner, and let the server in",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			return s.current(c.Context())
		},
	}
}

func demoCommand(s settings) *cobra.Command {
	scale, day, south := 1, "", false
	c := &cobra.Command{
		Use:   "demo",
		Short: "Fill an empty database with the made-up nursery",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := s.current(c.Context()); err != nil {
				return err
			}
			db, _, err := s.owning(c.Context())
			if err != nil {
				return err
			}
			defer db.Close()
			if err := standIn(c.Context(), db); err != nil {
				return err
			}
			var to time.Time
			if day != "" {
				if to, err = time.Parse(time.DateOnly, day); err != nil {
					return fmt.Errorf("the day %q is no date, such as 2027-08-10", day)
				}
			}
			if south {
				return demo.LoadSouth(c.Context(), db, s.logger())
			}
			if err := demo.Load(c.Context(), db, s.logger(), demo.Options{Scale: scale}); err != nil {
				return err
			}
			return demo.Advance(c.Context(), db, s.logger(), to)
		},
	}
	c.Flags().StringVar(&day, "day", "", "play the made-up nursery on to a later day, such as 2027-08-10")
	c.Flags().BoolVar(&south, "south", false, "the other made-up nursery: south of the line, without rest, budding in the row")
	c.Flags().IntVar(&scale, "scale", 1, "how many times as many past batches, to try the house at size")
	return c
}

func serveCommand(s settings) *cobra.Command {
	return &cobra.Command{Use: "serve", Short: "Serve the nursery", Args: cobra.NoArgs, RunE: func(c *cobra.Command, _ []string) error {
		return serve(c.Context(), s)
	}}
}

// roomy is how much the heap grows before it is gone through, in percent of what is in use. What
// a server has in use is small; at the usual hundred, going through it takes a fifth of the
// processor when many taps come in.
const roomy = 400

func serve(ctx context.Context, s settings) error {
	log := s.logger()
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(roomy)
	}
	// Take the port first: two servers on one port is the commonest slip, and
	// the words for it should not come after a minute of work.
	l, err := listen(s.Listen, "UNIONKNOT_LISTEN")
	if err != nil {
		return err
	}
	defer l.Close()
	db, err := s.housed(ctx, log)
	if err != nil {
		return err
	}
	defer db.Close()
	if err := standIn(ctx, db); err != nil {
		return err
	}
	n, err := stages.New(ctx, db, log)
	if err != nil {
		return err
	}
	defer n.Works.Close()
	if err := s.demoStaysHere(ctx, db, l.Addr()); err != nil {
		return err
	}
	proxies, err := s.proxies()
	if err != nil {
		return err
	}
	site, err := web.New(n, db.DB.DB, log, web.Options{SecureCookies: s.SecureCookies, Hosts: s.hosts(), Proxies: proxies})
	if err != nil {
		return err
	}
	defer site.Close()
	code, err := n.SetupCode(ctx)
	if err != nil {
		return err
	}
	if s.Metrics != "" {
		m, err := listen(s.Metrics, "UNIONKNOT_METRICS")
		if err != nil {
			log.Warn("no metrics", "err", err)
		} else {
			mux := http.NewServeMux()
			mux.Handle("/metrics", promhttp.Handler())
			ms := &http.Server{Handler: mux, ReadHeaderTimeout: 5 * time.Second}
			go ms.Serve(m) // ends when ms is closed below
			defer ms.Close()
		}
	}
	tidying, stop := context.WithCancel(ctx)
	tidied := make(chan struct{})
	go func() { defer close(tidied); keepTidy(tidying, n, log) }()
	defer func() { stop(); <-tidied }()
	if s.Copies != "" {
		ended := make(chan struct{})
		copying, stop := context.WithCancel(ctx)
		go func() { defer close(ended); keepCopies(copying, s, db, log, 10*time.Minute) }()
		defer func() { stop(); <-ended }()
	}
	fmt.Printf("\nUnion Knot is at http://%s\n", l.Addr())
	if code != "" {
		fmt.Printf("This house is empty. Open that address and make the first propagator's account with the one-time code %s\n", code)
	}
	fmt.Println()
	return run(ctx, log, l, site)
}

// keepTidy lets go, now and four times a day, of what is kept for a while only.
func keepTidy(ctx context.Context, n *stages.Set, log *slog.Logger) {
	t := time.NewTicker(6 * time.Hour)
	defer t.Stop()
	for {
		err := n.DB.Alone(ctx, "tidy", func() error {
			rows, err := n.Tidy(ctx)
			names, nerr := n.EraseNamesDue(ctx)
			pictures, perr := n.PlainPhotos(ctx)
			if rows > 0 || names > 0 || pictures > 0 {
				log.Info("tidied", "rows", rows, "names", names, "pictures", pictures)
			}
			return errors.Join(err, nerr, perr)
		})
		if err != nil && ctx.Err() == nil {
			log.Error("what is no longer kept is still here", "err", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-t.C:
		}
	}
}

func run(ctx context.Context, log *slog.Logger, l net.Listener, h http.Handler) error {
	srv := &http.Server{
		Handler:           h,
		ReadHeaderTimeout: 10 * time.Second,
		ReadTimeout:       60 * time.Second,
		WriteTimeout:      60 * time.Second,
		IdleTimeout:       2 * time.Minute,
	}
	failed := make(chan error, 1)
	go func() { failed <- srv.Serve(l) }()
	select {
	case err := <-failed:
		return fmt.Errorf("serving: %w", err)
	case <-ctx.Done():
	}
	log.Info("stopping: no new requests, those begun are finished")
	end, cancel := context.WithTimeout(context.Background(), 15*time.Second)
	defer cancel()
	return srv.Shutdown(end)
}

func listen(addr, setting string) (net.Listener, error) {
	l, err := net.Listen("tcp", addr)
	if errors.Is(err, syscall.EADDRINUSE) {
		return nil, fmt.Errorf(
			"%s is taken, perhaps by another Union Knot: stop that (make stop), or set %s to another address, such as 127.0.0.1:8090",
			addr,
			setting,
		)
	}
	return l, err
}

// standIn lets this process tell times as the house does, whatever the machine's zone.
func standIn(ctx context.Context, db *store.DB) error {
	at, err := nursery.Zone(ctx, db)
	if err != nil {
		return err
	}
	time.Local = at
	db.DropIdle() // connections opened before tell days otherwise
	return nil
}

// hosts are the names under which the house answers.
func (s settings) hosts() []string {
	return strings.FieldsFunc(s.Hosts, func(r rune) bool { return r == ',' || r == ' ' })
}

// proxies are those whose word on where a request comes from is taken.
func (s settings) proxies() (out []netip.Prefix, err error) {
	for _, w := range strings.FieldsFunc(s.Proxies, func(r rune) bool { return r == ',' || r == ' ' }) {
		p, err := netip.ParsePrefix(w)
		if err != nil {
			var at netip.Addr
			if at, err = netip.ParseAddr(w); err != nil {
				return nil, fmt.Errorf("UNIONKNOT_PROXIES: %q is no address and no network, such as 127.0.0.1 or 10.0.0.0/8", w)
			}
			p = netip.PrefixFrom(at, at.BitLen())
		}
		out = append(out, p)
	}
	return out, nil
}

// demoStaysHere refuses to show a demo, whose password everybody knows, to other
// machines, unless that is meant.
func (s settings) demoStaysHere(ctx context.Context, db *store.DB, at net.Addr) error {
	h, err := db.Q().House(ctx)
	if err != nil || h.DemoDay == nil || s.DemoOpen {
		return err
	}
	if tcp, ok := at.(*net.TCPAddr); ok && !tcp.IP.IsLoopback() {
		return fmt.Errorf("this is the demo, whose passwords everybody knows, and %s can be reached from other machines: "+
			"listen on 127.0.0.1, or set UNIONKNOT_DEMO_OPEN=true if that is meant", at)
	}
	return nil
}
