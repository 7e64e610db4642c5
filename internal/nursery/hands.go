package nursery

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
	"unionknot/internal/store"
)

// House defaults of a bench week and of pace.
const (
	morningHours   = 4.0 // a bench hand's, Monday to Friday
	afternoonHours = 3.5
	paceWeight     = 100.0 // grafts that the house's rate is worth against own records
	paceLogSD      = 0.25  // how tags of one hand differ, where too few tell
	paceYears      = 2
)

// Hand is somebody who grafts: when they are there, what they know, how fast.
type Hand struct {
	Person  store.Person
	Week    [8][3]float64 // by weekday, Monday 1, and half, morning 1
	Away    []store.Away
	Knows   map[string]bool
	Speed   sizing.Interval // times the house's rates
	Grafts  float64         // own grafts the speed was counted from
	Tags    int
	Default bool // the week is the role's
}

// HoursOn is how long a hand is at the bench in a half-day.
func (h Hand) HoursOn(day time.Time, half int) float64 {
	for _, a := range h.Away {
		if !day.Before(a.From) && !day.After(a.To) {
			return 0
		}
	}
	return h.Week[(int(day.Weekday())+6)%7+1][half]
}

// WeekHours is the hours of a whole week.
func (h Hand) WeekHours() float64 {
	sum := 0.0
	for _, d := range h.Week {
		sum += d[1] + d[2]
	}
	return sum
}

// Working shows how a hand's pace was come by.
func (h Hand) Working() working.Working {
	source := working.OwnRecords
	if h.Tags == 0 {
		source = working.HouseDefault
	}
	return working.Working{Title: "Pace of " + h.Person.Name, Answer: fmt.Sprintf("%.0f %% of the house's rates", h.Speed.Mean*100), Range: fmt.Sprintf("%.0f–%.0f %%", h.Speed.Low*100, h.Speed.High*100), Rule: "a hand's pace",
		Says: "Grafts tied on tags begun and finished in one go, against what the house's rates give in the same time. The house's rate counts as a hundred grafts, so that few tags do not say much.",
		Inputs: []working.Input{{Name: "Tags", Value: fmt.Sprintf("%d, of %.0f grafts", h.Tags, h.Grafts), Source: source},
			{Name: "The house's rate is worth", Value: fmt.Sprintf("%.0f grafts", paceWeight), Source: working.HouseDefault}}}
}

// hands gathers everybody who works at the bench.
func (s *Service) hands(ctx context.Context, q store.Q) ([]Hand, error) {
	ps, err := q.People(ctx)
	if err != nil {
		return nil, err
	}
	hours, err := q.HandHours(ctx)
	if err != nil {
		return nil, err
	}
	skills, err := q.Skills(ctx)
	if err != nil {
		return nil, err
	}
	aways, err := q.Aways(ctx, s.Today())
	if err != nil {
		return nil, err
	}
	paces, err := q.Paces(ctx, s.Today().AddDate(-paceYears, 0, 0))
	if err != nil {
		return nil, err
	}
	ts, err := s.techniques(ctx, q)
	if err != nil {
		return nil, err
	}
	var out []Hand
	for _, p := range ps {
		if p.LeftOn != nil || Role(p.Role) == Looker {
			continue
		}
		h := Hand{Person: p, Knows: map[string]bool{}, Default: !p.HoursSet, Speed: paceOf(store.PaceRecord{})}
		if !p.HoursSet && Role(p.Role) == BenchHand {
			for d := 1; d <= 5; d++ {
				h.Week[d][1], h.Week[d][2] = morningHours, afternoonHours
			}
		}
		for _, x := range hours {
			if x.PersonID == p.ID {
				h.Week[x.Weekday][x.Half] = x.Hours
			}
		}
		for _, t := range ts {
			h.Knows[t.Key] = !p.SkillsSet
		}
		for _, x := range skills {
			if _, inUse := h.Knows[x.Technique]; inUse && x.PersonID == p.ID {
				h.Knows[x.Technique] = true
			}
		}
		for _, x := range aways {
			if x.PersonID == p.ID {
				h.Away = append(h.Away, x)
			}
		}
		for _, x := range paces {
			if x.WorkerID == p.ID {
				h.Speed, h.Grafts, h.Tags = paceOf(x), x.Grafts, x.Tags
			}
		}
		out = append(out, h)
	}
	return out, nil
}

func paceOf(r store.PaceRecord) sizing.Interval {
	mean := (paceWeight + r.Grafts) / (paceWeight + r.Expected)
	sd := r.LogSD
	if r.Tags < 5 {
		sd = math.Max(sd, paceLogSD)
	}
	const z90 = 1.6449
	wide := math.Exp(z90 * sd / math.Sqrt(float64(max(1, r.Tags))))
	return sizing.Interval{Mean: mean, Low: mean / wide, High: mean * wide}
}

// spare is how much grafting, in hours at the house's rates, the hands who
// know a technique have from a day to another, both included.
func spare(hs []Hand, t technique.Technique, from, to, today time.Time, clock float64) float64 {
	sum := 0.0
	for _, h := range hs {
		if !h.Knows[t.Key] {
			continue
		}
		for d := from; !d.After(to); d = d.AddDate(0, 0, 1) {
			for half := 1; half <= 2; half++ {
				hours := h.HoursOn(d, half)
				if d.Equal(today) {
					hours = leftOfHours(half-1, clock, hours)
				}
				sum += benchday.Usable(hours) * h.Speed.Mean
			}
		}
	}
	return sum
}

// Week is a hand's week as it is set.
type Week struct {
	Hours [8][3]float64
	Knows []string
}

// SetWeek keeps when somebody is at the bench and what they know.
func (s *Service) SetWeek(ctx context.Context, a Actor, id int64, w Week) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	var hs []store.HandHours
	for d := 1; d <= 7; d++ {
		for half := 1; half <= 2; half++ {
			switch x := w.Hours[d][half]; {
			case x < 0 || x > 8 || math.IsNaN(x):
				return Problem{"hours", "A half-day has 0 to 8 hours."}
			case x > 0:
				hs = append(hs, store.HandHours{Weekday: d, Half: half, Hours: x})
			}
		}
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		p, err := q.Person(ctx, id)
		if err != nil {
			return err
		}
		ts, err := s.techniques(ctx, q)
		if err != nil {
			return err
		}
		for _, k := range w.Knows {
			if !slices.ContainsFunc(ts, func(t technique.Technique) bool { return t.Key == k }) {
				return Problem{"knows", "Choose techniques from the list."}
			}
		}
		if err := q.SetHandHours(ctx, id, hs); err != nil {
			return err
		}
		if err := q.SetSkills(ctx, id, w.Knows); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "person", p.Name, "week changed", nil, w)
	})
}

// AddAway notes days on which somebody is not at the bench.
func (s *Service) AddAway(ctx context.Context, a Actor, id int64, from, to time.Time, why string) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	if to.IsZero() {
		to = from
	}
	switch {
	case from.IsZero():
		return Problem{"from", "Give the first day away."}
	case to.Before(from):
		return Problem{"to", "The last day away lies before the first."}
	case to.Sub(from) > 400*24*time.Hour:
		return Problem{"to", "That is more than a year. If they are leaving, note it under People."}
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		p, err := q.Person(ctx, id)
		if err != nil {
			return err
		}
		if _, err := q.AddAway(ctx, store.Away{PersonID: id, From: from, To: to, Why: strings.TrimSpace(why)}); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "person", p.Name, "away", nil, from.Format(time.DateOnly)+" to "+to.Format(time.DateOnly))
	})
}

// DropAway takes days away back.
func (s *Service) DropAway(ctx context.Context, a Actor, id int64) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		if err := q.DropAway(ctx, id); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "away", fmt.Sprint(id), "taken back", nil, nil)
	})
}

// SetSeats changes how many can sit at a station.
func (s *Service) SetSeats(ctx context.Context, a Actor, id int64, seats int) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	if seats < 1 || seats > 500 {
		return Problem{"seats", "A station has 1 to 500 seats."}
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		if err := q.SetSeats(ctx, id, seats); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "station", fmt.Sprint(id), "seats", nil, seats)
	})
}

// HandsPage is who is at the bench when, and what they know.
type HandsPage struct {
	Hands      []Hand
	Techniques []technique.Technique
	Stations   []store.Station
	Weekdays   []string // Monday first
}

// Hands gathers the hands and their weeks.
func (s *Service) Hands(ctx context.Context) (HandsPage, error) {
	q := s.db.Q()
	p := HandsPage{Weekdays: []string{"Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"}}
	var err error
	if p.Hands, err = s.hands(ctx, q); err != nil {
		return p, err
	}
	if p.Techniques, err = s.techniques(ctx, q); err != nil {
		return p, err
	}
	p.Stations, err = q.Stations(ctx)
	return p, err
}

// House defaults of a team.
const (
	cutShare  = 0.6 // of a graft's time
	tierShare = 75  // in a hundred of a cutter's wage
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
}

// Team works out how cutters and tiers best share a technique's work, against
// all working alone.
func (s *Service) Team(ctx context.Context, a TeamAsked) (TeamPage, error) {
	q := s.db.Q()
	p := TeamPage{Asked: a}
	var err error
	if p.Techniques, err = s.techniques(ctx, q); err != nil || len(p.Techniques) == 0 {
		return p, err
	}
	h, err := q.House(ctx)
	if err != nil {
		return p, err
	}
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
		p.Asked.CutSeconds, source = math.Round(each*cutShare), working.HouseDefault
	}
	if !(a.TieSeconds > 0 && a.TieSeconds < 3600) {
		p.Asked.TieSeconds = math.Round(each * (1 - cutShare))
	}
	if a.People < 2 || a.People > mostTeam {
		p.Asked.People = 3
	}
	if !(a.TierPct > 0 && a.TierPct <= 200) {
		p.Asked.TierPct = tierShare
	}
	p.Asked.Technique = p.Technique.Key
	p.Splits = benchday.Splits(p.Asked.People, p.Asked.CutSeconds/3600, p.Asked.TieSeconds/3600, float64(h.WageCents), float64(h.WageCents)*p.Asked.TierPct/100)
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
		p.Says = fmt.Sprintf("%d cutting and %d tying pays: as many grafts as all working alone, and %.0f cents cheaper each.", p.Best.Cutters, p.Best.Tiers, p.Solo.Cents-p.Best.Cents)
	case p.Best.Cents < p.Solo.Cents:
		p.Says = fmt.Sprintf("%d cutting and %d tying is cheaper by %.0f cents a graft, but makes %.0f an hour fewer than all working alone.", p.Best.Cutters, p.Best.Tiers, p.Solo.Cents-p.Best.Cents, p.Solo.PerHour-p.Best.PerHour)
	default:
		p.Says = fmt.Sprintf("All working alone is best: %.0f an hour, against %.0f with %d cutting and %d tying, who wait for each other %.0f %% of the time. A team pays where a tier cannot cut yet.", p.Solo.PerHour, p.Best.PerHour, p.Best.Cutters, p.Best.Tiers, p.Best.Idle*100)
	}
	p.Working = working.Working{Title: "Sharing the work, " + p.Technique.Name, Answer: p.Says, Rule: "team split",
		Says: "With a to cut and b to tie a graft, c cutters and t tiers make the lesser of c ÷ a and t ÷ b an hour; all working alone make n ÷ (a + b). Wages over grafts give the cost.",
		Inputs: []working.Input{{Name: "To cut, to tie", Value: fmt.Sprintf("%.0f and %.0f seconds", p.Asked.CutSeconds, p.Asked.TieSeconds), Source: source},
			{Name: "Wages", Value: fmt.Sprintf("%s an hour, a tier %.0f %% of it", Money(h.WageCents), p.Asked.TierPct), Source: WorthOf(h).source(wageOf)}}}
	return p, nil
}
