package nursery

import (
	"context"
	"slices"
	"strings"

	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// HousePage is what the House stage shows.
type HousePage struct {
	House      store.House
	People     []store.Person
	Ways       []store.HouseWay
	Techniques []technique.Technique
	Loads      []store.Load
}

// House gathers the house's settings.
func (s *Service) House(ctx context.Context, a Actor) (HousePage, error) {
	var h HousePage
	if err := a.must(Propagator); err != nil {
		return h, err
	}
	q := s.db.Q()
	var err error
	if h.House, err = q.House(ctx); err != nil {
		return h, err
	}
	if h.People, err = q.People(ctx); err != nil {
		return h, err
	}
	if h.Ways, err = q.HouseWays(ctx); err != nil {
		return h, err
	}
	if h.Techniques, err = s.techniques(ctx, q); err != nil {
		return h, err
	}
	h.Loads, err = q.Loads(ctx)
	return h, err
}

// Options are the answers a house way may have.
func Options(w store.HouseWay) []string { return strings.Split(w.Options, " · ") }

// ChooseWay changes the house's answer to a question growers differ on.
func (s *Service) ChooseWay(ctx context.Context, a Actor, key, chosen string) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		w, err := q.HouseWay(ctx, key)
		if err != nil {
			return err
		}
		if !slices.Contains(Options(w), chosen) {
			return Problem{"chosen", "Choose one of the ways listed."}
		}
		if err := q.ChooseWay(ctx, key, chosen); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "house way", key, "changed", w.Chosen, chosen)
	})
}

// Settings are the house's few numbers.
type Settings struct {
	Name, Place string
	TagSize     int
	ChancePct   int
}

// ChangeSettings keeps them.
func (s *Service) ChangeSettings(ctx context.Context, a Actor, n Settings) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	var ps Problems
	if strings.TrimSpace(n.Name) == "" {
		ps.add("name", "Give the nursery a name.")
	}
	if n.TagSize < 1 || n.TagSize > 200 {
		ps.add("tag_size", "A tag holds 1 to 200 grafts.")
	}
	if n.ChancePct < 51 || n.ChancePct > 99 {
		ps.add("chance", "The chance lies between 51 and 99 in a hundred.")
	}
	if err := ps.orNil(); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		h, err := q.LockHouse(ctx)
		if err != nil {
			return err
		}
		before := Settings{h.Name, h.Place, h.TagSize, int(h.Chance*100 + 0.5)}
		h.Name, h.Place, h.TagSize, h.Chance = strings.TrimSpace(n.Name), strings.TrimSpace(n.Place), n.TagSize, float64(n.ChancePct)/100
		if err := q.UpdateHouse(ctx, h); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "house", h.Name, "changed", before, n)
	})
}

// Changes lists the record of changes from the newest down.
func (s *Service) Changes(ctx context.Context, a Actor, before int64) ([]store.Change, error) {
	if err := a.must(Propagator); err != nil {
		return nil, err
	}
	return s.db.Q().Changes(ctx, before)
}

// HouseName is the nursery's name and whether it is the demo's.
func (s *Service) HouseName(ctx context.Context) (name string, demo bool, err error) {
	h, err := s.db.Q().House(ctx)
	return h.Name, h.DemoDay != nil, err
}

// techniques reads the house's techniques into the core's form.
func (s *Service) techniques(ctx context.Context, q store.Q) ([]technique.Technique, error) {
	rows, err := q.Techniques(ctx)
	if err != nil {
		return nil, err
	}
	out := make([]technique.Technique, 0, len(rows))
	for _, r := range rows {
		if !r.InUse {
			continue
		}
		out = append(out, technique.Technique{Key: r.Key, Name: r.Name,
			StockStates: strings.Split(r.StockStates, ","), WoodStates: strings.Split(r.WoodStates, ","),
			StockMinMM: r.StockMinMM, StockMaxMM: r.StockMaxMM, RatioMin: r.RatioMin, RatioMax: r.RatioMax, WiderAllowed: r.WiderAllowed,
			Cut: r.Cut, BudsMin: r.BudsMin, BudsMax: r.BudsMax, GoodFor: r.GoodFor, RatePerHour: float64(r.RatePerHour),
			PriorTake: r.PriorTake, PriorWeight: float64(r.PriorWeight), Slope: r.Slope, HandNote: r.HandNote})
	}
	return out, nil
}

// Worth is what things are worth, in cents and hundredths.
type Worth struct {
	WageCents, TreeCents, StemCents, PieceCents int
	DelayPct, GradePct                          int
}

// WorthOf reads what things are worth in a house.
func WorthOf(h store.House) Worth {
	return Worth{h.WageCents, h.TreeCents, h.StemCents, h.PieceCents, int(h.DelayShare*100 + 0.5), int(h.GradeShare*100 + 0.5)}
}

// shippedWorth is what the house comes with.
var shippedWorth = Worth{WageCents: 1600, TreeCents: 900, StemCents: 130, PieceCents: 35, DelayPct: 25, GradePct: 96}

// source says whether all the figures chosen are still those that the house
// came with.
func (w Worth) source(of ...func(Worth) int) string {
	for _, f := range of {
		if f(w) != f(shippedWorth) {
			return working.Entered
		}
	}
	return working.HouseDefault
}

// The figures of a Worth, to ask its source.
func wageOf(w Worth) int  { return w.WageCents }
func treeOf(w Worth) int  { return w.TreeCents }
func stemOf(w Worth) int  { return w.StemCents }
func pieceOf(w Worth) int { return w.PieceCents }
func delayOf(w Worth) int { return w.DelayPct }
func gradeOf(w Worth) int { return w.GradePct }

// SetWorth keeps what things are worth.
func (s *Service) SetWorth(ctx context.Context, a Actor, n Worth) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	var ps Problems
	for field, cents := range map[string]int{"wage": n.WageCents, "tree": n.TreeCents, "stem": n.StemCents, "piece": n.PieceCents} {
		if cents < 0 || cents > 100_000_000 {
			ps.add(field, "Give an amount from 0 to a million.")
		}
	}
	if n.DelayPct < 0 || n.DelayPct > 100 {
		ps.add("delay", "A year's delay costs 0 to 100 in a hundred of a tree.")
	}
	if n.GradePct < 10 || n.GradePct > 99 {
		ps.add("grade", "Between 10 and 99 in a hundred make the grade.")
	}
	if err := ps.orNil(); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		h, err := q.LockHouse(ctx)
		if err != nil {
			return err
		}
		was := WorthOf(h)
		h.WageCents, h.TreeCents, h.StemCents, h.PieceCents = n.WageCents, n.TreeCents, n.StemCents, n.PieceCents
		h.DelayShare, h.GradeShare = float64(n.DelayPct)/100, float64(n.GradePct)/100
		if err := q.UpdateHouse(ctx, h); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "house", "worth", "changed", was, n)
	})
}
