package results

import (
	"context"
	"fmt"
	"math"
	"slices"

	"unionknot/internal/core/sizing"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Made is what a group of a season's tags took to make, and what lives of it.
type Made struct {
	Name     string
	Grafts   int // stocks worked
	Pieces   int // of wood joined
	Spoiled  int // stems that came to nothing at the bench
	SpoiledW int // pieces that did
	Alive    int // stocks that live or went alive
	Hours    float64
}

// Need is what as many live trees take again, at what this season showed.
type Need struct {
	Made
	Trees   int // wanted
	Again   int // grafts for them, at the house's chance
	Things  int // stems, pieces; of hands: hours
	Working working.Working
}

// Report is a season for its owner: what was made of it, what was learned, and what the next
// one takes.
type Report struct {
	Results ResultsPage
	Year    int
	More    int // trees wanted next season beside this one's, in hundredths
	Chance  float64
	Stock   []Need // stems by stock
	Wood    []Need // pieces by variety
	Hands   []Need // hours by technique
	Days    int    // of one head, all hours together
}

// How many more trees a report may be asked for, in hundredths.
const (
	LeastMore = -90
	MostMore  = 400
)

// SeasonReport sums a season up, by the year in which it begins; 0 is the last with counts.
// more is how many more live trees than this season's the next is to bring, in hundredths, −90
// to 400.
func (s *Stage) SeasonReport(ctx context.Context, a nursery.Actor, year, more int) (r Report, err error) {
	if a.Role == nursery.BenchHand {
		return r, nursery.ErrNotAllowed
	}
	if year == 0 {
		ys, err := s.Seasons(ctx)
		if err != nil {
			return r, err
		}
		year = ys[0]
	}
	r.Year, r.More = year, max(LeastMore, min(more, MostMore))
	var f ResultsFilter
	f.From, f.To = SeasonDays(year)
	if r.Results, err = s.Results(ctx, a, f); err != nil {
		return r, err
	}
	facts := r.Results.Facts
	r.Chance = facts.House.Chance
	factor := 1 + float64(r.More)/100
	of := func(level func(store.TagDetail) string, things func(Made, int) float64) ([]Need, error) {
		return needs(madeBy(r.Results.details, facts, level), factor, r.Chance, things)
	}
	if r.Stock, err = of(func(d store.TagDetail) string { return d.Stock }, stems); err != nil {
		return r, err
	}
	if r.Wood, err = of(func(d store.TagDetail) string { return d.Variety }, pieces); err != nil {
		return r, err
	}
	if r.Hands, err = of(func(d store.TagDetail) string { return d.TechniqueName }, hours); err != nil {
		return r, err
	}
	total := 0
	for _, n := range r.Hands {
		total += n.Things
	}
	r.Days = int(math.Ceil(float64(total) / benchHours))
	return r, nil
}

// madeBy sums what went into a season's tags by a level of each, the most grafts first.
func madeBy(ds []store.TagDetail, f *snapshot.Snapshot, level func(store.TagDetail) string) (out []Made) {
	rates := ratesOf(f)
	for _, d := range ds {
		i := slices.IndexFunc(out, func(m Made) bool { return m.Name == level(d) })
		if i < 0 {
			i, out = len(out), append(out, Made{Name: level(d)})
		}
		m := &out[i]
		m.Grafts, m.Pieces = m.Grafts+d.Tied, m.Pieces+d.Tied*max(1, d.Buds)
		m.Spoiled, m.SpoiledW = m.Spoiled+d.Spoiled, m.SpoiledW+d.SpoiledW
		m.Alive, m.Hours = m.Alive+min(d.Alive, d.Tied), m.Hours+hoursOf(d, rates)
	}
	slices.SortStableFunc(out, func(a, b Made) int { return b.Grafts - a.Grafts })
	return out
}

func stems(m Made, again int) float64 {
	return float64(again) * float64(m.Grafts+m.Spoiled) / float64(m.Grafts)
}

func pieces(m Made, again int) float64 {
	return float64(again) * float64(m.Pieces+m.SpoiledW) / float64(m.Grafts)
}

func hours(m Made, again int) float64 { return float64(again) * m.Hours / float64(m.Grafts) }

// needs works out what factor times the live trees of each take again. Where none lives of a
// group there is nothing to go by, and it is left out.
func needs(ms []Made, factor, chance float64, things func(Made, int) float64) (out []Need, err error) {
	grafts, alive := 0, 0
	for _, m := range ms {
		grafts, alive = grafts+m.Grafts, alive+m.Alive
	}
	prior := sizing.Prior((float64(alive)+1)/(float64(grafts)+2), priorGrafts)
	for _, m := range ms {
		if m.Alive == 0 {
			continue
		}
		n := Need{Made: m, Trees: int(math.Ceil(float64(m.Alive)*factor - 1e-9))}
		belief := prior.And(m.Alive, m.Grafts)
		if n.Again, err = sizing.Grafts(n.Trees, chance, belief); err != nil {
			return nil, err
		}
		n.Things = int(math.Ceil(things(m, n.Again) - 1e-9))
		n.Working = working.Working{
			Title: m.Name, Answer: words.Thousands(n.Things), Rule: words.NeedRule, Says: words.NeedSays,
			Inputs: []working.Input{
				{Name: words.NeedTrees, Value: words.Thousands(n.Trees), Source: working.OwnRecords},
				{Name: words.NeedLived, Value: words.OfThem(m.Alive, m.Grafts, belief.Interval90()), Source: working.OwnRecords},
				{Name: words.NeedChance, Value: words.Pct(chance), Source: working.HouseWay},
				{Name: words.NeedGrafts, Value: words.Thousands(n.Again), Source: working.OwnRecords},
				{Name: words.NeedSpoiled, Value: fmt.Sprintf("%d, %d", m.Spoiled, m.SpoiledW), Source: working.OwnRecords},
				{Name: words.NeedHours, Value: fmt.Sprintf("%.1f", m.Hours), Source: working.OwnRecords},
			},
		}
		out = append(out, n)
	}
	return out, nil
}
