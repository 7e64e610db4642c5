package trees

import (
	"context"
	"slices"
	"time"

	"unionknot/internal/core/pollen"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Flower is a variety with what is known of its flowers.
type Flower struct {
	store.VarietyNote
	pollen.Variety
	This  pollen.Span // in this year: as noted, or by the mean of the years noted
	Noted bool        // this year's own
	Known bool
	Needs bool // another to set
	From  []pollen.Closing
}

func flowerOf(n store.VarietyNote, year int) Flower {
	f := Flower{VarietyNote: n, Variety: pollen.Variety{Name: n.Name, Genus: n.Genus, Group: n.Group, Alone: n.Alone,
		Flowered: map[int]pollen.Span{}}}
	if n.Ploidy != nil {
		f.Variety.Ploidy = *n.Ploidy
	}
	for _, x := range n.Flowered {
		f.Variety.Flowered[x.Year] = pollen.Span{First: x.First.Time, Last: x.Last.Time}
	}
	for _, x := range n.Spots {
		f.At = append(f.At, pollen.Spot{X: x.X, Y: x.Y})
	}
	f.This, f.Noted = f.Variety.Flowered[year]
	f.Known = f.Noted
	if !f.Noted {
		f.This, f.Known = pollen.Usual(f.Variety, year)
	}
	f.Needs = pollen.Needs(f.Variety)
	return f
}

// FlowersPage is who pollinates whom in the house.
type FlowersPage struct {
	Flowers []Flower // by genus, those that flower first first
	Genus   string
	Genera  []string // that have varieties
	Year    int
	Set     []string // that are looked at together, by name
	Gaps    []pollen.Gap
	Matches map[string]map[string]pollen.Match // of a variety, by another
	Spots   []store.Spot
	Buyers  []store.BuyerSet
}

func (s *Stage) flowers(ctx context.Context, q store.Q) ([]Flower, error) {
	ns, err := q.VarietyNotes(ctx)
	if err != nil {
		return nil, err
	}
	out := make([]Flower, len(ns))
	for i, n := range ns {
		out[i] = flowerOf(n, s.Today().Year())
	}
	return out, nil
}

func varieties(fs []Flower, keep func(f Flower) bool) (out []pollen.Variety) {
	for _, f := range fs {
		if keep(f) {
			out = append(out, f.Variety)
		}
	}
	return out
}

// byDay puts those that flower first first, and those of which nothing is noted last.
func byDay(fs []Flower) {
	slices.SortStableFunc(fs, func(a, b Flower) int {
		switch {
		case a.Known != b.Known:
			if a.Known {
				return -1
			}
			return 1
		case a.Known:
			return a.This.First.Compare(b.This.First)
		}
		return 0
	})
}

// Flowers gathers the chart of a genus; set are varieties that are looked at together, or those
// that a buyer has ordered.
func (s *Stage) Flowers(ctx context.Context, genus string, set []string, buyer string) (p FlowersPage, err error) {
	q := s.DB.Q()
	fs, err := s.flowers(ctx, q)
	if err != nil {
		return p, err
	}
	if p.Spots, err = q.Spots(ctx); err != nil {
		return p, err
	}
	p.Year, p.Genus, p.Set = s.Today().Year(), nursery.CleanGenus(genus), set
	count := map[string]int{}
	for _, f := range fs {
		g := f.VarietyNote.Genus
		if count[g]++; count[g] == 1 {
			p.Genera = append(p.Genera, g)
		}
	}
	if count[p.Genus] == 0 {
		for _, g := range p.Genera { // that with the most
			if p.Genus == "" || count[p.Genus] == 0 || count[g] > count[p.Genus] {
				p.Genus = g
			}
		}
	}
	if p.Buyers, err = q.BuyerSets(ctx, p.Genus); err != nil {
		return p, err
	}
	for _, b := range p.Buyers {
		if buyer != "" && b.Buyer == buyer {
			set = b.Varieties
			p.Set = set
		}
	}
	for _, f := range fs {
		if f.VarietyNote.Genus == p.Genus {
			p.Flowers = append(p.Flowers, f)
		}
	}
	byDay(p.Flowers)
	house := varieties(p.Flowers, func(Flower) bool { return true })
	p.Matches = map[string]map[string]pollen.Match{}
	for i, a := range house {
		p.Matches[a.Name] = map[string]pollen.Match{}
		for _, b := range house {
			m := pollen.On(a, b)
			p.Matches[a.Name][b.Name] = m
			if m.Good() && a.Name != b.Name {
				p.Flowers[i].From = append(p.Flowers[i].From, pollen.Closing{Name: b.Name, Match: m})
			}
		}
		slices.SortStableFunc(p.Flowers[i].From, func(x, y pollen.Closing) int {
			switch {
			case x.Mean > y.Mean:
				return -1
			case x.Mean < y.Mean:
				return 1
			}
			return 0
		})
	}
	in := varieties(p.Flowers, func(f Flower) bool { return slices.Contains(set, f.Variety.Name) })
	if len(in) > 0 {
		p.Gaps = pollen.Lacks(in, house)
	}
	return p, nil
}

// flowersOf are the flowers of a tree's varieties, what they lack beside each other, and who in the
// house closes the gap.
func (s *Stage) flowersOf(ctx context.Context, q store.Q, p *Page) ([]Flower, []pollen.Gap, error) {
	var names []string
	for _, v := range p.Limbs {
		if v.Variety != "" && v.RemovedOn == nil && !slices.Contains(names, v.Scion+" "+v.Variety) {
			names = append(names, v.Scion+" "+v.Variety)
		}
	}
	if len(names) == 0 || p.Kind == Interstem {
		return nil, nil, nil
	}
	fs, err := s.flowers(ctx, q)
	if err != nil {
		return nil, nil, err
	}
	var mine []Flower
	for _, f := range fs {
		if slices.Contains(names, f.VarietyNote.Genus+" "+f.Variety.Name) {
			mine = append(mine, f)
		}
	}
	byDay(mine)
	set := varieties(mine, func(Flower) bool { return true })
	return mine, pollen.Lacks(set, varieties(fs, func(Flower) bool { return true })), nil
}

// NewFlower is what is noted of a variety's flowers.
type NewFlower struct {
	Variety, Genus string
	Year           int
	First, Last    time.Time // both zero: nothing of the year
	Ploidy         int       // 0: not noted
	Group          string
	Alone          string // yes, no, "" as its genus
}

// NoteFlower keeps it. What is left empty of the year takes the year's days out.
func (s *Stage) NoteFlower(ctx context.Context, a nursery.Actor, n NewFlower) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	trim(&n.Group, &n.Variety)
	var ps nursery.Problems
	days := n.Last.Sub(n.First).Hours() / 24
	switch {
	case n.First.IsZero() != n.Last.IsZero():
		ps.Add("last", "%s", words.FlowerBoth)
	case !n.First.IsZero() && (days < 0 || days >= 120 || n.First.Year() != n.Year && n.Last.Year() != n.Year):
		ps.Add("last", "%s", words.FlowerRuns(n.Year))
	case n.First.After(s.Today()):
		ps.Add("first", "%s", words.FlowerAhead)
	}
	if n.Ploidy != 0 && (n.Ploidy < 2 || n.Ploidy > 8) {
		ps.Add("ploidy", "%s", words.PloidyBetween)
	}
	if len([]rune(n.Group)) > 40 {
		ps.Add("group", "%s", words.NameShort)
	}
	if n.Year < 1900 || n.Year > s.Today().Year() {
		ps.Add("year", "%s", words.FlowerYear(s.Today().Year()))
	}
	if len(ps) > 0 {
		return ps
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		ns, err := q.VarietyNotes(ctx)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(ns, func(v store.VarietyNote) bool {
			return v.Name == n.Variety && v.Genus == nursery.CleanGenus(n.Genus)
		})
		if i < 0 {
			return nursery.Problem{Field: "variety", Says: words.NoSuchVariety(n.Variety)}
		}
		was := ns[i]
		v := store.VarietyNote{VarietyID: was.VarietyID, Ploidy: some(n.Ploidy), Group: n.Group}
		if n.Alone != "" {
			yes := n.Alone == "yes"
			v.Alone = &yes
		}
		if err := q.SetVarietyNote(ctx, v, a.ID, s.Now()); err != nil {
			return err
		}
		if err := q.SetFlowering(ctx, was.VarietyID, n.Year, n.First, n.Last, a.ID, s.Now()); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "variety", n.Variety, "flowers noted", was, n)
	})
}

// Years are those in which its flowers were noted, in order.
func (f Flower) Years() (ys []int) {
	for _, x := range f.VarietyNote.Flowered {
		ys = append(ys, x.Year)
	}
	return ys
}

// Spot is where a place stands, in metres east and north of the yard.
type Spot struct {
	Place       string
	East, North float64
}

// NoteSpot keeps where a place stands, in metres east and north of the yard.
func (s *Stage) NoteSpot(ctx context.Context, a nursery.Actor, n Spot) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	trim(&n.Place)
	if n.Place == "" || len([]rune(n.Place)) > 80 || !(n.East >= -20_000 && n.East <= 20_000 && n.North >= -20_000 && n.North <= 20_000) {
		return nursery.Problem{Field: "spot", Says: words.SpotWanted}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if err := q.SetSpot(ctx, store.Spot(n), a.ID, s.Now()); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "place", n.Place, "spot", nil, n)
	})
}
