package house

import (
	"context"
	"slices"
	"strings"
	"time"

	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// HousePage is what the House stage shows.
type HousePage struct {
	House      store.House
	People     []store.Person
	Ways       []store.HouseWay
	Techniques []store.Technique // those out of use too
	Loads      []store.Load
	Tablets    []store.Session // open ones
}

// House gathers the house's settings.
func (s *Stage) House(ctx context.Context, a nursery.Actor) (HousePage, error) {
	var h HousePage
	if err := a.Must(nursery.Propagator); err != nil {
		return h, err
	}
	f, err := s.Facts(ctx)
	if err != nil {
		return h, err
	}
	h.House, h.Ways, h.Techniques = f.House, f.HouseWays, f.AllWays
	for _, p := range f.All {
		if snapshot.Role(p.Role) != snapshot.Class { // nobody: learners' grafts are counted under it
			h.People = append(h.People, p)
		}
	}
	q := s.DB.Q()
	if h.Loads, err = q.Loads(ctx); err != nil {
		return h, err
	}
	h.Tablets, err = q.Sessions(ctx, 0)
	h.Tablets = slices.DeleteFunc(h.Tablets, func(x store.Session) bool { return x.TabletBy == nil })
	return h, err
}

// Options are the answers a house way may have.
func Options(w store.HouseWay) []string { return strings.Split(w.Options, " · ") }

// ChooseWay changes the house's answer to a question growers differ on.
func (s *Stage) ChooseWay(ctx context.Context, a nursery.Actor, key, chosen string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		w, err := q.HouseWay(ctx, key)
		if err != nil {
			return err
		}
		if !slices.Contains(Options(w), chosen) {
			return nursery.Problem{Field: "chosen", Says: words.ChooseOneOfTheWays}
		}
		if err := q.ChooseWay(ctx, key, chosen); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "house way", key, "changed", w.Chosen, chosen)
	})
}

// HouseWay gives one of the house's ways; chosen must be one of its answers.
func (s *Stage) HouseWay(ctx context.Context, key, chosen string) (store.HouseWay, error) {
	w, err := s.DB.Q().HouseWay(ctx, key)
	if err == nil && !slices.Contains(Options(w), chosen) {
		err = nursery.ErrNotFound
	}
	return w, err
}

// BeginPage is a house's first hour.
type BeginPage struct {
	Steps  []nursery.FirstStep
	Genera []GrownGenus
}

// GrownGenus is a genus, and whether the house grows it.
type GrownGenus struct {
	Key, Name string
	Grown     bool
}

// Begin gathers it.
func (s *Stage) Begin(ctx context.Context, a nursery.Actor) (p BeginPage, err error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return p, err
	}
	h, err := s.DB.Q().FirstHour(ctx, a.ID)
	if err != nil {
		return p, err
	}
	p.Steps = nursery.FirstSteps(h)
	f, err := s.Facts(ctx)
	if err != nil {
		return p, err
	}
	for _, g := range f.Genera {
		p.Genera = append(p.Genera, GrownGenus{g.Key, g.Name, f.Grown[g.Key]})
	}
	return p, nil
}

// NextStep is the step of the first hour that comes next; none, where all are done.
func (s *Stage) NextStep(ctx context.Context, a nursery.Actor) (*nursery.FirstStep, error) {
	h, err := s.DB.Q().FirstHour(ctx, a.ID)
	if err != nil {
		return nil, err
	}
	for _, x := range nursery.FirstSteps(h) {
		if x.Next {
			return &x, nil
		}
	}
	return nil, nil
}

// SetGrown keeps what the house grows: it is offered first.
func (s *Stage) SetGrown(ctx context.Context, a nursery.Actor, genera []string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if _, err := q.LockHouse(ctx); err != nil {
			return err
		}
		known, err := s.KnownGenera(ctx, q)
		if err != nil {
			return err
		}
		for _, g := range genera {
			if !known[g] {
				return nursery.Problem{Field: "grown", Says: words.GrownChoose}
			}
		}
		was, err := q.Grown(ctx)
		if err != nil {
			return err
		}
		if genera == nil {
			genera = []string{}
		}
		if err := q.SetGrown(ctx, genera); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "house", "grown", "changed", was, genera)
	})
}

// Settings are the house's few numbers.
type Settings struct {
	Name, Place string
	TagSize     int
	ChancePct   int
	TimeZone    string // as in Europe/Vienna; "" as it is
}

// ChangeSettings keeps them.
func (s *Stage) ChangeSettings(ctx context.Context, a nursery.Actor, n Settings) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	var ps nursery.Problems
	if strings.TrimSpace(n.Name) == "" {
		ps.Add("name", words.GiveTheNurseryAName)
	}
	if n.TagSize < 1 || n.TagSize > 200 {
		ps.Add("tag_size", words.ATagHolds1To)
	}
	if n.ChancePct < 51 || n.ChancePct > 99 {
		ps.Add("chance", words.TheChanceLiesBetween51)
	}
	n.TimeZone = strings.TrimSpace(n.TimeZone)
	if _, err := time.LoadLocation(n.TimeZone); err != nil || n.TimeZone == "Local" {
		ps.Add("time_zone", "%s", words.NoSuchZone)
	}
	if err := ps.Err(); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		h, err := q.LockHouse(ctx)
		if err != nil {
			return err
		}
		before := Settings{h.Name, h.Place, h.TagSize, int(h.Chance*100 + 0.5), h.TimeZone}
		if n.TimeZone == "" {
			n.TimeZone = h.TimeZone
		}
		h.Name, h.Place, h.TagSize, h.Chance = strings.TrimSpace(n.Name), strings.TrimSpace(n.Place), n.TagSize, float64(n.ChancePct)/100
		h.TimeZone = n.TimeZone
		if err := q.UpdateHouse(ctx, h); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "house", h.Name, "changed", before, n)
	})
}

// Changes lists the record of changes from the newest down.
func (s *Stage) Changes(ctx context.Context, a nursery.Actor, sieve nursery.Sieve, before int64) ([]store.Change, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return nil, err
	}
	return s.DB.Q().Changes(ctx, sieve, before, ChangesAPage)
}

// ChangesAPage is how many lines of the record a page has.
const ChangesAPage = 50

// SetWorth keeps what things are worth.
func (s *Stage) SetWorth(ctx context.Context, a nursery.Actor, n outlook.Worth) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	var ps nursery.Problems
	for field, cents := range map[string]int{"wage": n.WageCents, "tree": n.TreeCents, "stem": n.StemCents, "piece": n.PieceCents} {
		if cents < 0 || cents > 100_000_000 {
			ps.Add(field, words.GiveAnAmountFrom0)
		}
	}
	if n.DelayPct < 0 || n.DelayPct > 100 {
		ps.Add("delay", words.AYearsDelayCosts0)
	}
	if n.GradePct < 10 || n.GradePct > 99 {
		ps.Add("grade", words.Between10And99In)
	}
	if err := ps.Err(); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		h, err := q.LockHouse(ctx)
		if err != nil {
			return err
		}
		was := outlook.WorthOf(h)
		h.WageCents, h.TreeCents, h.StemCents, h.PieceCents = n.WageCents, n.TreeCents, n.StemCents, n.PieceCents
		h.DelayShare, h.GradeShare = float64(n.DelayPct)/100, float64(n.GradePct)/100
		if err := q.UpdateHouse(ctx, h); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "house", "worth", "changed", was, n)
	})
}

// SetTechnique is what the house says of a technique.
type SetTechnique struct {
	Key          string
	InUse        bool
	MinMM, MaxMM float64 // stock at the cut
	RatioMin     float64 // scion ÷ stock
}

// SetTechnique keeps whether a technique is in use and its limits: they count at
// once wherever it is judged.
func (s *Stage) SetTechnique(ctx context.Context, a nursery.Actor, n SetTechnique) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	if !(n.MinMM >= 1 && n.MaxMM > n.MinMM && n.MaxMM <= 300) || !(n.RatioMin >= 0.05 && n.RatioMin <= 1) {
		return nursery.Problem{Field: "technique-" + n.Key, Says: words.TechniqueLimits}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		ts, err := q.Techniques(ctx)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(ts, func(t store.Technique) bool { return t.Key == n.Key })
		if i < 0 {
			return nursery.ErrNotFound
		}
		was := ts[i]
		if n.RatioMin > was.RatioMax {
			return nursery.Problem{Field: "technique-" + n.Key, Says: words.TechniqueLimits}
		}
		if err := q.SetTechnique(ctx, n.Key, n.InUse, n.MinMM, n.MaxMM, n.RatioMin); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "technique", was.Name, "changed", SetTechnique{was.Key, was.InUse, was.StockMinMM, was.StockMaxMM,
			was.RatioMin}, n)
	})
}
