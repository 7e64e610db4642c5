package snapshot

import (
	"context"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/own"
	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/ways"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// Settings are what the house has set, and the craft's tables.
type Settings struct {
	House      store.House
	Numbers    aftercare.Numbers     // the house's own days of what follows
	Techniques []technique.Technique // in use, in the house's order
	AllWays    []store.Technique     // those out of use too
	HouseWays  []store.HouseWay
	Ties       []store.Tie
	Healing    []store.HealingWay
	Causes     []string        // that are offered
	Genera     []store.Genus   // those that the house grows first, by name
	Grown      map[string]bool // genera that the house grows, where it said so
	Sections   []store.Section
	Stations   []store.Station
	pairs      map[[2]string]Pair
	sections   map[[4]string]Pair
	Materials  map[string]store.Material
	notOffered map[store.Unoffered]bool
	shipped    map[[3]string]string // values of the craft's tables, by kind, which, and field
}

// SourceOf says where a figure of the craft's tables is from: the house default, or
// entered where the house has another than was shipped.
func (s *Settings) SourceOf(kind, ref, field string, value float64) string {
	was, ships := s.shipped[[3]string{kind, ref, field}]
	if x, err := strconv.ParseFloat(was, 64); ships && err == nil && math.Abs(x-value) < 1e-9 {
		return working.HouseDefault
	}
	return working.Entered
}

// Pair is how two genera, or two sections, get on.
type Pair struct{ Verdict, Note string }

func readSettings(ctx context.Context, q store.Q) (*Settings, error) {
	s := &Settings{pairs: map[[2]string]Pair{}, sections: map[[4]string]Pair{}}
	var err error
	read := func(one func() error) {
		if err == nil {
			err = one()
		}
	}
	read(func() error { s.House, err = q.House(ctx); return err })
	read(func() error { s.AllWays, err = q.Techniques(ctx); return err })
	read(func() error { s.HouseWays, err = q.HouseWays(ctx); return err })
	read(func() error { s.Ties, err = q.Ties(ctx); return err })
	read(func() error { s.Healing, err = q.HealingWays(ctx); return err })
	read(func() error {
		us, err := q.NotOffered(ctx)
		s.notOffered = map[store.Unoffered]bool{}
		for _, u := range us {
			s.notOffered[u] = true
		}
		return err
	})
	read(func() error {
		s.Causes, err = q.Causes(ctx)
		s.Causes = slices.DeleteFunc(s.Causes, func(c string) bool { return !s.Offered("cause", c) })
		return err
	})
	read(func() error {
		ms, err := q.Materials(ctx)
		s.Materials = map[string]store.Material{}
		for _, m := range ms {
			s.Materials[m.Key] = m
		}
		return err
	})
	read(func() error {
		gs, err := q.Grown(ctx)
		s.Grown = map[string]bool{}
		for _, g := range gs {
			s.Grown[g] = true
		}
		return err
	})
	read(func() error {
		s.Genera, err = q.Genera(ctx)
		slices.SortStableFunc(s.Genera, func(a, b store.Genus) int {
			switch {
			case s.Grown[a.Key] && !s.Grown[b.Key]:
				return -1
			case s.Grown[b.Key] && !s.Grown[a.Key]:
				return 1
			}
			return 0
		})
		return err
	})
	read(func() error { s.Sections, err = q.Sections(ctx); return err })
	read(func() error {
		rs, err := q.KnotRules(ctx)
		s.Numbers = aftercare.Numbers{}
		for _, r := range rs {
			s.Numbers[aftercare.Rule(r.Rule)] = [3]int{r.From, r.Best, r.By}
		}
		return err
	})
	read(func() error { s.Stations, err = q.Stations(ctx); return err })
	read(func() error {
		ps, err := q.Pairs(ctx)
		for _, p := range ps {
			s.pairs[[2]string{p.Scion, p.Stock}] = Pair{p.Verdict, p.Note}
		}
		return err
	})
	read(func() error {
		ps, err := q.SectionPairs(ctx)
		for _, p := range ps {
			s.sections[[4]string{p.Scion, p.ScionSection, p.Stock, p.StockSection}] = Pair{p.Verdict, p.Note}
		}
		return err
	})
	read(func() error {
		ss, err := q.Shipped(ctx)
		s.shipped = map[[3]string]string{}
		for _, x := range ss {
			s.shipped[[3]string{x.Kind, x.Ref, x.Field}] = x.Value
		}
		return err
	})
	for _, t := range s.AllWays {
		if t.InUse {
			x := techniqueOf(t)
			if x.SetsBud() && s.Answers().TwoBuds() {
				x.BudsAStock = 2
			}
			s.Techniques = append(s.Techniques, x)
		}
	}
	return s, err
}

// techniqueOf reads a row into the core's form.
func techniqueOf(r store.Technique) technique.Technique {
	return technique.Technique{Key: r.Key, Name: r.Name,
		StockStates: strings.Split(r.StockStates, ","), WoodStates: strings.Split(r.WoodStates, ","),
		StockMinMM: r.StockMinMM, StockMaxMM: r.StockMaxMM, RatioMin: r.RatioMin, RatioMax: r.RatioMax, WiderAllowed: r.WiderAllowed,
		Cut: r.Cut, BudsMin: r.BudsMin, BudsMax: r.BudsMax, GoodFor: r.GoodFor, RatePerHour: float64(r.RatePerHour),
		PriorTake: r.PriorTake, PriorWeight: float64(r.PriorWeight), Slope: r.Slope, HandNote: r.HandNote}
}

// Way gives the house's answer to a question on which growers differ; a
// question that is not asked has none.
func (s *Settings) Way(key string) store.HouseWay {
	i := slices.IndexFunc(s.HouseWays, func(w store.HouseWay) bool { return w.Key == key })
	if i < 0 {
		return store.HouseWay{Key: key}
	}
	return s.HouseWays[i]
}

// Answers are the house's answers, as the core reads them.
func (s *Settings) Answers() ways.House {
	h := ways.House{}
	for _, w := range s.HouseWays {
		h[ways.Key(w.Key)] = w.Chosen
	}
	return h
}

// Genus finds a genus; an unknown one has no name.
func (s *Settings) Genus(key string) store.Genus {
	i := slices.IndexFunc(s.Genera, func(g store.Genus) bool { return g.Key == key })
	if i < 0 {
		return store.Genus{}
	}
	return s.Genera[i]
}

// Technique finds one that is in use.
func (s *Settings) Technique(key string) (technique.Technique, bool) {
	i := slices.IndexFunc(s.Techniques, func(t technique.Technique) bool { return t.Key == key })
	if i < 0 {
		return technique.Technique{}, false
	}
	return s.Techniques[i], true
}

// Offered says whether a tie, a way to heal or a cause is offered to choose.
func (s *Settings) Offered(kind, ref string) bool {
	return !s.notOffered[store.Unoffered{Kind: kind, Ref: ref}]
}

// OfferedTies are the ties to choose from; one that is in use already is among them.
func (s *Settings) OfferedTies(inUse ...string) []store.Tie {
	return slices.DeleteFunc(slices.Clone(s.Ties), func(t store.Tie) bool {
		return !s.Offered("tie", t.Key) && !slices.Contains(inUse, t.Key)
	})
}

// OfferedHealing are the ways to heal to choose from; one that is in use already is among
// them.
func (s *Settings) OfferedHealing(inUse ...string) []store.HealingWay {
	return slices.DeleteFunc(slices.Clone(s.Healing), func(h store.HealingWay) bool {
		return !s.Offered("healing", h.Key) && !slices.Contains(inUse, h.Key)
	})
}

// HealC is the temperature in °C of a way to heal where nothing is read: the middle of what
// the house keeps it at.
func (s *Settings) HealC(key string) float64 {
	for _, h := range s.Healing {
		if h.Key == key && h.LowC != nil && h.HighC != nil {
			return (*h.LowC + *h.HighC) / 2
		}
	}
	return aftercare.WayC(own.Base(key))
}

// SectionsOf names the sections by which a genus is told apart.
func (s *Settings) SectionsOf(genus string) (out []string) {
	for _, x := range s.Sections {
		if x.Genus == genus {
			out = append(out, x.Name)
		}
	}
	return out
}

// Pair says how two genera get on; false where nothing is known.
func (s *Settings) Pair(scion, stock string) (Pair, bool) {
	p, ok := s.pairs[[2]string{scion, stock}]
	return p, ok
}

// SectionPair says how two sections get on; false where nothing is known.
func (s *Settings) SectionPair(scion, section, stock, stockSection string) (Pair, bool) {
	p, ok := s.sections[[4]string{scion, section, stock, stockSection}]
	return p, ok
}

// Calendars date the year of every season group, as warmth and what was seen
// move it, with the years beside it.
type Calendars struct {
	Groups  []store.SeasonGroup
	Known   season.Known // the site's usual temperatures and its days since the middle of the year before last
	today   time.Time
	anchors map[string][]season.Anchor
	seen    map[string][]season.Observation
	years   map[string]season.Year
}

func readCalendars(ctx context.Context, q store.Q, today time.Time) (*Calendars, error) {
	c := &Calendars{
		today:   today,
		anchors: map[string][]season.Anchor{},
		seen:    map[string][]season.Observation{},
		years:   map[string]season.Year{},
	}
	from := time.Date(today.Year()-2, time.July, 1, 0, 0, 0, 0, time.UTC)
	if err := c.fill(ctx, q, from); err != nil {
		return nil, err
	}
	for _, g := range c.Groups {
		c.years[g.Key] = c.dated(g, today.Year()-1, today.Year()+1)
	}
	return c, nil
}

// fill reads what dates the years, from a day on.
func (c *Calendars) fill(ctx context.Context, q store.Q, from time.Time) error {
	var err error
	if c.Groups, err = q.SeasonGroups(ctx); err != nil {
		return err
	}
	as, err := q.AllAnchors(ctx)
	if err != nil {
		return err
	}
	for _, a := range as {
		c.anchors[a.Group] = append(
			c.anchors[a.Group],
			season.Anchor{Kind: a.Kind, Month: a.Month, Day: a.Day, SpreadDays: a.SpreadDays, Source: a.Source},
		)
	}
	ns, err := q.Normals(ctx)
	if err != nil {
		return err
	}
	for _, n := range ns {
		c.Known.Normals[n.Month-1] = n.MeanC
	}
	ws, err := q.Weather(ctx, from)
	if err != nil {
		return err
	}
	for _, w := range ws {
		c.Known.Weather = append(c.Known.Weather, season.DegreeDay{On: w.On, MeanC: w.MeanC, LowC: w.LowC})
	}
	seen, err := q.AllSeen(ctx, from)
	for _, o := range seen {
		c.seen[o.Group] = append(c.seen[o.Group], season.Observation{Says: o.Says, On: o.On, Place: o.Place, Soil: o.Soil})
	}
	return err
}

func (c *Calendars) dated(g store.SeasonGroup, first, last int) season.Year {
	y := season.Year{Group: g.Key, NoRest: !g.Rests, Anchors: c.anchors[g.Key]}
	k := c.Known
	k.Seen = c.seen[g.Key]
	return y.With(k, first, last)
}

// Year gives a group's anchors, with their dates of this year and of those
// beside it.
func (c *Calendars) Year(group string) season.Year {
	if y, ok := c.years[group]; ok {
		return y
	}
	return season.Year{Group: group}
}

// Around is a group's calendar about today.
func (c *Calendars) Around(group string) *season.Calendar { return c.Year(group).Around(c.today) }

// Past dates a group's years from one to another, further back than a Snapshot
// holds, with what they were dated from.
func Past(ctx context.Context, q store.Q, group string, first, last int) (season.Year, season.Known, error) {
	c := &Calendars{anchors: map[string][]season.Anchor{}, seen: map[string][]season.Observation{}}
	if err := c.fill(ctx, q, time.Date(first-1, time.July, 1, 0, 0, 0, 0, time.UTC)); err != nil {
		return season.Year{}, c.Known, err
	}
	for _, g := range c.Groups {
		if g.Key == group {
			return c.dated(g, first, last), c.Known, nil
		}
	}
	return season.Year{Group: group}, c.Known, nil
}

// People are all who were ever here, with their weeks, what they know and how
// fast they were.
type People struct {
	All    []store.Person // those who have left last
	Hours  []store.HandHours
	Skills []store.Skill
	Aways  []store.Away // that end today or later
	Strays []store.Stray
	Paces  []store.PaceRecord // of the last two years
}

// paceYears is how far back paces are looked at. House default.
const paceYears = 2

func readPeople(ctx context.Context, q store.Q, today time.Time) (*People, error) {
	p := &People{}
	var err error
	read := func(one func() error) {
		if err == nil {
			err = one()
		}
	}
	read(func() error { p.All, err = q.People(ctx); return err })
	read(func() error { p.Hours, err = q.HandHours(ctx); return err })
	read(func() error { p.Skills, err = q.Skills(ctx); return err })
	read(func() error { p.Aways, err = q.Aways(ctx, today); return err })
	read(func() error { p.Strays, err = q.Strays(ctx); return err })
	read(func() error { p.Paces, err = q.Paces(ctx, today.AddDate(-paceYears, 0, 0)); return err })
	return p, err
}

// Person finds somebody, also one who has left.
func (p *People) Person(id int64) (store.Person, bool) {
	i := slices.IndexFunc(p.All, func(x store.Person) bool { return x.ID == id })
	if i < 0 {
		return store.Person{}, false
	}
	return p.All[i], true
}

// Role is what somebody may do.
type Role string

// The roles, from the least to the most.
const (
	Looker     Role = "looker"
	BenchHand  Role = "bench hand"
	Propagator Role = "propagator"
	Class      Role = "class" // under which learners' grafts are counted: nobody signs in as it
)

// Classes are the people under whom learners' grafts are counted, by id.
func (p *People) Classes() map[int64]bool {
	out := map[int64]bool{}
	for _, x := range p.All {
		if Role(x.Role) == Class {
			out[x.ID] = true
		}
	}
	return out
}

// Workers are those who work at the bench.
func (p *People) Workers() (out []store.Person) {
	for _, x := range p.All {
		if x.LeftOn == nil && Role(x.Role) != Looker && Role(x.Role) != Class {
			out = append(out, x)
		}
	}
	return out
}

// Knowers counts who at the bench knows what; somebody of whom nothing was
// noted knows all.
func (s *Snapshot) Knowers() map[string]int {
	out := map[string]int{}
	for _, p := range s.Workers() {
		for _, t := range s.AllWays {
			if !p.SkillsSet || slices.Contains(s.Skills, store.Skill{PersonID: p.ID, Technique: t.Key}) {
				out[t.Key]++
			}
		}
	}
	return out
}
