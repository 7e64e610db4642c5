package growon

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// growNeeds are the facts that what follows is dated from.
var growNeeds = []snapshot.Need{snapshot.Growing, snapshot.Places}

// GrowPage is what Grow on shows.
type GrowPage struct {
	Facts     *snapshot.Snapshot
	Today     aftercare.Day
	Cords     []outlook.Cord
	Beds      []outlook.Bed // with something due, in walking order
	Trees     int
	Late      int // steps that are late
	Due       int // steps and rounds
	RainedOff bool
	Rain      outlook.Rain
	Weather   []outlook.Exposed
}

// Grow gathers Grow on.
func (s *Stage) Grow(ctx context.Context) (GrowPage, error) {
	f, err := s.Facts(ctx, growNeeds...)
	if err != nil {
		return GrowPage{}, err
	}
	n := outlook.NursingOf(f)
	gs := n.All()
	p := GrowPage{Facts: f, Today: n.Today, Cords: n.Cords(gs), RainedOff: f.RainedOff, Weather: outlook.ExposedOf(n, gs)}
	for _, b := range n.Beds(gs) {
		p.Trees += b.Trees
		if b.Due() > 0 {
			p.Beds = append(p.Beds, b)
		}
		for _, x := range b.Steps {
			p.Due++
			if x.Late {
				p.Late++
			}
		}
		p.Due += len(b.Rounds)
	}
	p.Rain = outlook.RainOf(p.Beds)
	return p, nil
}

// WalkPage is a walk through what is due.
type WalkPage struct {
	Facts     *snapshot.Snapshot
	At        time.Time
	Beds      []outlook.Bed
	Whole     []outlook.Bed // places where nothing is due, to note losses at
	RainedOff bool
	Ways      func(k aftercare.Name, n int) string // how a step is done here
}

// soilAge is for how many days what was seen of a row's soil is said on the walk. House default.
const soilAge = 7

// Walk gathers the walk.
func (s *Stage) Walk(ctx context.Context) (WalkPage, error) {
	f, err := s.Facts(ctx, growNeeds...)
	if err != nil {
		return WalkPage{}, err
	}
	h := f.Answers()
	p := WalkPage{Facts: f, At: f.At, RainedOff: f.RainedOff,
		Ways: func(k aftercare.Name, n int) string { return words.KnotHow(k, n, h) }}
	n := outlook.NursingOf(f)
	soil, err := s.DB.Q().SoilByPlace(ctx, f.Today.AddDate(0, 0, -soilAge))
	if err != nil {
		return p, err
	}
	for _, b := range n.Beds(n.All()) {
		if says := words.SoilWarns(soil[strings.ToLower(b.Place)]); says != "" {
			b.Warning = append(b.Warning, says)
		}
		if b.Due() > 0 {
			p.Beds = append(p.Beds, b)
		} else {
			p.Whole = append(p.Whole, b)
		}
	}
	return p, nil
}

// TagPage is a tag as it grows on.
type TagPage struct {
	outlook.Growing
	Today    aftercare.Day
	Moves    map[aftercare.Step][]aftercare.Move
	Stays    []store.TagStay
	Acts     []store.Acted
	Causes   []string
	How      func(k aftercare.Name, n int) string
	Callused float64 // below 0: not by a clock
	FitFrom  aftercare.Day
	Fit      bool   // to sell
	Planted  string // where its union stands when it is planted
}

// Grown gathers a finished tag's page.
func (s *Stage) Grown(ctx context.Context, code string) (TagPage, error) {
	q := s.DB.Q()
	gs, err := q.GrowTagsByCode(ctx, []string{nursery.CleanCode(code)})
	if err == nil && len(gs) == 0 {
		err = nursery.ErrNotFound
	}
	if err != nil {
		return TagPage{}, err
	}
	f, err := s.Facts(ctx, snapshot.Places)
	if err != nil {
		return TagPage{}, err
	}
	with := *f
	with.Growing = gs
	n := outlook.NursingOf(&with)
	g := n.Of(gs[0])
	h := f.Answers()
	p := TagPage{Growing: g, Planted: words.UnionHeight(h), Today: n.Today, Moves: n.Moves(g), Callused: -1,
		Causes: g.Made.Causes(f.Causes, ""),
		How:    func(k aftercare.Name, i int) string { return words.KnotHow(k, i, h) }}
	if share, ok := n.Callused(g); ok {
		p.Callused = share
	}
	i := slices.IndexFunc(g.Plan.Knots, func(k aftercare.Knot) bool { return k.Name == aftercare.FitToSell })
	if i >= 0 {
		p.FitFrom = g.Plan.Knots[i].From
		p.Fit = n.Today >= p.FitFrom
	}
	if p.Stays, err = q.StaysOf(ctx, g.ID); err != nil {
		return p, err
	}
	p.Acts, err = q.ActedOn(ctx, g.ID)
	return p, err
}

// YearsPage is the pipeline: what each year's work has become, and what each spring
// will bring.
type YearsPage struct {
	Facts *snapshot.Snapshot
	Years []outlook.YearLine
}

// Years gathers the pipeline.
func (s *Stage) Years(ctx context.Context) (YearsPage, error) {
	f, err := s.Facts(ctx, growNeeds...)
	if err != nil {
		return YearsPage{}, err
	}
	q := s.DB.Q()
	cohorts, err := q.Cohorts(ctx)
	if err != nil {
		return YearsPage{}, err
	}
	rows, err := q.StocksInRow(ctx)
	if err != nil {
		return YearsPage{}, err
	}
	n := outlook.NursingOf(f)
	return YearsPage{Facts: f, Years: outlook.YearsOf(n, n.All(), cohorts, rows)}, nil
}

// NewRound is work that comes again at a place.
type NewRound struct {
	Place, What, Note string
	Every, Reentry    int
}

// RoundKinds are what rounds can be of.
var RoundKinds = []string{"water", "weed", "feed", "mulch", "spray", "other"}

// AddRound keeps a round.
func (s *Stage) AddRound(ctx context.Context, a nursery.Actor, r NewRound) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	r.Place = strings.Join(strings.Fields(r.Place), " ")
	if r.Place == "" || len([]rune(r.Place)) > 80 || !slices.Contains(RoundKinds, r.What) || r.Every < 1 || r.Every > 400 ||
		r.Reentry < 0 ||
		r.Reentry > 1000 {
		return nursery.Problem{Field: "place", Says: words.SayRound}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if err := q.AddRound(ctx, store.Round{Place: r.Place, What: r.What, Note: strings.TrimSpace(r.Note), Every: r.Every,
			Reentry: r.Reentry,
			From:    store.Day{Time: s.Today()}}, s.Now()); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "round", r.Place, "added", nil, r)
	})
}

// EndRound ends one.
func (s *Stage) EndRound(ctx context.Context, a nursery.Actor, id int64) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		was, err := q.EndRound(ctx, id, s.Today())
		if errors.Is(err, nursery.ErrNotFound) {
			return nil // it was ended already
		} else if err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "round", was.Place, "ended", was, nil)
	})
}

// ResumeRound lets a round go on that was ended.
func (s *Stage) ResumeRound(ctx context.Context, a nursery.Actor, id int64) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		was, err := q.ResumeRound(ctx, id)
		if errors.Is(err, nursery.ErrNotFound) {
			return nil // it goes on already
		} else if err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "round", was.Place, "goes on", nil, was)
	})
}

// RainOff notes that today's walks are rained off, or that they are not.
func (s *Stage) RainOff(ctx context.Context, a nursery.Actor, off bool) error {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if err := q.SetRainedOff(ctx, s.Today(), off, a.ID, s.Now()); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "walk", s.Today().Format(time.DateOnly), "rained off", !off, off)
	})
}

// Rules are the days of what follows, each with the house's own where it has them.
type RuleLine struct {
	aftercare.Default
	Name, From string
	Own        [3]int
	Is         bool
}

// Rules lists them.
func (s *Stage) Rules(ctx context.Context) ([]RuleLine, error) {
	f, err := s.Facts(ctx)
	if err != nil {
		return nil, err
	}
	var out []RuleLine
	for _, d := range aftercare.Defaults {
		own, is := f.Numbers[d.Rule]
		name, from := words.RuleSays(d.Rule)
		out = append(out, RuleLine{d, name, from, own, is})
	}
	return out, nil
}

// SetRule keeps the house's own days of a step, or goes back to the default.
func (s *Stage) SetRule(ctx context.Context, a nursery.Actor, rule string, days [3]int, back bool) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	if !aftercare.Rule(rule).Known() || !back && (days[0] > days[1] || days[1] > days[2] || days[0] < -400 || days[2] > 800) {
		return nursery.Problem{Field: "days", Says: words.RuleDays}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		own, err := q.KnotRuleOf(ctx, rule)
		if err != nil {
			return err
		}
		var was any
		if own != nil {
			was = [3]int{own.From, own.Best, own.By}
		}
		if back {
			if err := q.DropKnotRule(ctx, rule); err != nil {
				return err
			}
			return s.Changed(ctx, q, a, "days", rule, "to default", was, nil)
		}
		if err := q.SetKnotRule(ctx, store.KnotRule{Rule: rule, From: days[0], Best: days[1], By: days[2]}); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "days", rule, "changed", was, days)
	})
}
