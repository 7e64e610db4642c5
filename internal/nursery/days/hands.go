package days

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Week is a hand's week as it is set.
type Week struct {
	Hours [8][3]float64
	Knows []string
}

// SetWeek keeps when somebody is at the bench and what they know.
func (s *Stage) SetWeek(ctx context.Context, a nursery.Actor, id int64, w Week) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	var hs []store.HandHours
	for d := 1; d <= 7; d++ {
		for half := 1; half <= 2; half++ {
			switch x := w.Hours[d][half]; {
			case x < 0 || x > 8 || math.IsNaN(x):
				return nursery.Problem{Field: "hours", Says: words.AHalfDayHas0}
			case x > 0:
				hs = append(hs, store.HandHours{Weekday: d, Half: half, Hours: x})
			}
		}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.Person(ctx, id)
		if err != nil {
			return err
		}
		f, err := s.FactsIn(ctx, q)
		if err != nil {
			return err
		}
		for _, k := range w.Knows {
			if !slices.ContainsFunc(f.Techniques, func(t technique.Technique) bool { return t.Key == k }) {
				return nursery.Problem{Field: "knows", Says: words.ChooseTechniquesFromTheList}
			}
		}
		was := Week{}
		before, knew, err := q.HoursAndSkills(ctx, id)
		if err != nil {
			return err
		}
		for _, x := range before {
			was.Hours[x.Weekday][x.Half] = x.Hours
		}
		was.Knows = knew
		if err := q.SetHandHours(ctx, id, hs); err != nil {
			return err
		}
		if err := q.SetSkills(ctx, id, w.Knows); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "person", p.Name, "week changed", was, w)
	})
}

// AddAway notes days on which somebody is not at the bench.
func (s *Stage) AddAway(ctx context.Context, a nursery.Actor, id int64, from, to time.Time, why string) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	if to.IsZero() {
		to = from
	}
	switch {
	case from.IsZero():
		return nursery.Problem{Field: "from", Says: words.GiveTheFirstDayAway}
	case to.Before(from):
		return nursery.Problem{Field: "to", Says: words.TheLastDayAwayLies}
	case to.Sub(from) > 400*24*time.Hour:
		return nursery.Problem{Field: "to", Says: words.ThatIsMoreThanA}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.Person(ctx, id)
		if err != nil {
			return err
		}
		if _, err := q.AddAway(ctx, store.Away{PersonID: id, From: from, To: to, Why: strings.TrimSpace(why)}); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "person", p.Name, "away", nil, from.Format(time.DateOnly)+" to "+to.Format(time.DateOnly))
	})
}

// DropAway takes days away back.
func (s *Stage) DropAway(ctx context.Context, a nursery.Actor, id int64) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		was, err := q.DropAway(ctx, id)
		if err != nil {
			return err
		}
		p, err := q.Person(ctx, was.PersonID)
		if err != nil {
			return err
		}
		days := was.From.Format(time.DateOnly) + " to " + was.To.Format(time.DateOnly)
		return s.Changed(ctx, q, a, "person", p.Name, words.AwayTakenBack, days, nil)
	})
}

// SetSeats changes how many can sit at a station.
func (s *Stage) SetSeats(ctx context.Context, a nursery.Actor, id int64, seats int) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	if seats < 1 || seats > 500 {
		return nursery.Problem{Field: "seats", Says: words.AStationHas1To}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		was, err := q.SetSeats(ctx, id, seats)
		if err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "station", fmt.Sprint(id), "seats", was, seats)
	})
}

// HandsPage is who is at the bench when, and what they know.
type HandsPage struct {
	Hands      []outlook.Hand
	Techniques []technique.Technique
	Stations   []store.Station
	Weekdays   []string // Monday first
}

// Hands gathers the hands and their weeks.
func (s *Stage) Hands(ctx context.Context) (HandsPage, error) {
	f, err := s.Facts(ctx)
	if err != nil {
		return HandsPage{}, err
	}
	return HandsPage{
		Weekdays:   []string{"Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"},
		Hands:      outlook.HandsOf(f),
		Techniques: f.Techniques,
		Stations:   f.Stations,
	}, nil
}

// House defaults of a team.
const (
	tierShare = 75 // in a hundred of a cutter's wage
	mostTeam  = 12
)

// TeamAsked is what a planner asks of a team; zeros are filled in.
type TeamAsked struct {
	Technique              string
	People                 int
	CutSeconds, TieSeconds float64 // a graft
	TierPct                float64 // a tier's wage, in a hundred of a cutter's
}

// TeamPage is how people share a technique's work.
type TeamPage struct {
	Asked      TeamAsked
	Technique  technique.Technique
	Techniques []technique.Technique
	Splits     []benchday.Split // the most grafts first
	Solo       benchday.Split
	Best       benchday.Split // of the teams
	Cheapest   benchday.Split
	Wage       int
	Says       string
	Working    working.Working
	Cut, Tie   []outlook.PairPart // what each does for the pace of the pairs that they were in
	Met        []MetPair
}

// MetPair is a cutter and a tier who worked together, with what took of it.
type MetPair struct {
	Cutter, Tier string
	Tags, Grafts int
	Counted      int
	Took         sizing.Interval
}

// pairs gathers who worked with whom, and what each did for the pace.
func (s *Stage) pairs(ctx context.Context, f *snapshot.Snapshot, p *TeamPage) error {
	q := s.DB.Q()
	ps, err := q.PairPaces(ctx)
	if err != nil {
		return err
	}
	p.Cut, p.Tie = outlook.PairPartsOf(f, ps)
	ms, err := q.PairsMet(ctx, time.Time{})
	if err != nil {
		return err
	}
	for _, m := range ms {
		c, _ := f.Person(m.WorkerID)
		t, _ := f.Person(m.TierID)
		p.Met = append(p.Met, MetPair{c.Name, t.Name, m.Tags, m.Grafts, m.Counted, sizing.Beta{Alpha: 1, Beta: 1}.And(m.Took,
			m.Counted).Interval90()})
	}
	return nil
}

// Team works out how cutters and tiers best share a technique's work, against
// all working alone.
func (s *Stage) Team(ctx context.Context, a TeamAsked) (TeamPage, error) {
	p := TeamPage{Asked: a}
	f, err := s.Facts(ctx)
	if err != nil || len(f.Techniques) == 0 {
		return p, err
	}
	if err := s.pairs(ctx, f, &p); err != nil {
		return p, err
	}
	h := f.House
	p.Techniques = f.Techniques
	p.Wage = h.WageCents
	p.Technique = p.Techniques[0]
	for _, t := range p.Techniques {
		if t.Key == a.Technique || a.Technique == "" && t.Key == "whip-and-tongue" {
			p.Technique = t
		}
	}
	each := 3600 / p.Technique.RatePerHour
	source := working.Entered
	if !(a.CutSeconds > 0 && a.CutSeconds < 3600) {
		p.Asked.CutSeconds, source = math.Round(each*outlook.CutShare), working.HouseDefault
	}
	if !(a.TieSeconds > 0 && a.TieSeconds < 3600) {
		p.Asked.TieSeconds = math.Round(each * (1 - outlook.CutShare))
	}
	if a.People < 2 || a.People > mostTeam {
		p.Asked.People = 3
	}
	if !(a.TierPct > 0 && a.TierPct <= 200) {
		p.Asked.TierPct = tierShare
	}
	p.Asked.Technique = p.Technique.Key
	p.Splits = benchday.Splits(
		p.Asked.People,
		p.Asked.CutSeconds/3600,
		p.Asked.TieSeconds/3600,
		float64(h.WageCents),
		float64(h.WageCents)*p.Asked.TierPct/100,
	)
	p.Cheapest = p.Splits[0]
	found := false
	for _, x := range p.Splits {
		if x.Cents < p.Cheapest.Cents {
			p.Cheapest = x
		}
		if x.Solo {
			p.Solo = x
		} else if !found {
			p.Best, found = x, true
		}
	}
	switch {
	case p.Best.Cents < p.Solo.Cents && p.Best.PerHour > 0.97*p.Solo.PerHour:
		p.Says = fmt.Sprintf(
			words.TyingPays,
			p.Best.Cutters,
			p.Best.Tiers,
			p.Solo.Cents-p.Best.Cents,
		)
	case p.Best.Cents < p.Solo.Cents:
		p.Says = fmt.Sprintf(
			words.TyingIsCheaper,
			p.Best.Cutters,
			p.Best.Tiers,
			p.Solo.Cents-p.Best.Cents,
			p.Solo.PerHour-p.Best.PerHour,
		)
	default:
		p.Says = fmt.Sprintf(
			words.AllWorkingAloneIsBest,
			p.Solo.PerHour,
			p.Best.PerHour,
			p.Best.Cutters,
			p.Best.Tiers,
			p.Best.Idle*100,
		)
	}
	p.Working = working.Working{Title: words.SharingTheWork + p.Technique.Name, Answer: p.Says, Rule: "team split",
		Says: words.WithAToCutAnd,
		Inputs: []working.Input{
			{Name: words.ToCutToTie, Value: fmt.Sprintf(words.NAndNSeconds, p.Asked.CutSeconds, p.Asked.TieSeconds), Source: source},
			{
				Name:   "Wages",
				Value:  fmt.Sprintf(words.XAnHourATier, words.Money(h.WageCents), p.Asked.TierPct),
				Source: outlook.WorthOf(h).Source(outlook.WageOf),
			},
		}}
	return p, nil
}
