package nursery

import (
	"context"
	"errors"
	"fmt"
	"sync"

	"unionknot/internal/core/season"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// Belief is what is expected of a technique on a genus, and from what.
type Belief struct {
	Technique technique.Technique
	Take      sizing.Beta
	Prior     sizing.Beta
	Taken, Of int // own counts
}

func (b Belief) mean() float64 {
	if b.Technique.Key == "" {
		return 0
	}
	return b.Take.Mean()
}

// Working shows how the expected take was come by.
func (b Belief) Working(genus store.Genus) working.Working {
	i := b.Take.Interval90()
	return working.Working{
		Title: "Expected take, " + b.Technique.Name + " on " + genus.Name, Answer: Pct(i.Mean), Range: PctRange(i), Rule: "take from prior and own records",
		Says: "The house default counts as if so many grafts had shown it; every graft counted here is added to that. The range is the middle 90 % of the belief.",
		Inputs: []working.Input{
			{Name: "House default", Value: Pct(b.Technique.PriorTake) + ", easy pome fruit", Source: working.HouseDefault},
			{Name: "Shift for " + genus.Name, Value: fmt.Sprintf("%+.1f on the logit scale, giving %s", genus.LogitShift, Pct(b.Prior.Mean())), Source: working.HouseDefault},
			{Name: "Weight of the default", Value: fmt.Sprintf("%g grafts", b.Technique.PriorWeight), Source: working.HouseDefault},
			{Name: "Counted here", Value: fmt.Sprintf("%d took of %d", b.Taken, b.Of), Source: working.OwnRecords},
		}}
}

// Pct writes a share as a percentage.
func Pct(x float64) string { return fmt.Sprintf("%.0f %%", x*100) }

// PctRange writes an interval as percentages.
func PctRange(i sizing.Interval) string { return fmt.Sprintf("%.0f–%.0f %%", i.Low*100, i.High*100) }

// believe gives the expected take of every technique on a genus.
func believe(ts []technique.Technique, own []store.Took, g store.Genus) map[string]Belief {
	out := map[string]Belief{}
	for _, t := range ts {
		b := Belief{Technique: t, Prior: t.Prior(g.LogitShift)}
		for _, o := range own {
			if o.Technique == t.Key && o.Genus == g.Key {
				b.Taken, b.Of = o.Taken, o.Counted
			}
		}
		b.Take = b.Prior.And(b.Taken, b.Of)
		out[t.Key] = b
	}
	return out
}

// Need is how many grafts an order wants, and why.
type Need struct {
	Grafts  int
	Low     int // if the take runs at the top of its range
	High    int // if it runs at the foot of it
	Chance  float64
	By      Belief // the technique it is reckoned by
	Missing string // why there is no number
	Working working.Working
}

// reckoner works out many orders at a time, asking the store once for what
// they share.
type reckoner struct {
	s         *Service
	q         store.Q
	genera    map[string]store.Genus
	beliefs   map[string]map[string]Belief
	ts        []technique.Technique
	own       []store.Took
	book      *almanac
	years     map[string]*season.Calendar // by season group
	stands    map[string]technique.Standing
	grade     sizing.Beta // of live trees that are lifted and make the grade
	gradeFrom string      // its source
	points    int         // added to every expected take, in hundredths: what if
}

func (s *Service) reckon(ctx context.Context, q store.Q) (*reckoner, error) {
	r := &reckoner{s: s, q: q, book: s.almanac(q), genera: map[string]store.Genus{}, beliefs: map[string]map[string]Belief{}, years: map[string]*season.Calendar{}, stands: map[string]technique.Standing{}}
	gs, err := q.Genera(ctx)
	for _, g := range gs {
		r.genera[g.Key] = g
	}
	if err != nil {
		return r, err
	}
	if r.ts, err = s.techniques(ctx, q); err != nil {
		return r, err
	}
	h, err := q.House(ctx)
	if err != nil {
		return r, err
	}
	r.grade, r.gradeFrom = sizing.Prior(h.GradeShare, gradeWeight), WorthOf(h).source(gradeOf)
	r.own, err = q.OwnTakes(ctx)
	return r, err
}

// gradeWeight is how many trees the house's share that makes the grade is
// worth. House default.
const gradeWeight = 60

// whatIf moves a belief by so many hundredths, at the weight it has.
func whatIf(b sizing.Beta, points int) sizing.Beta {
	if points == 0 {
		return b
	}
	return sizing.Prior(min(0.99, max(0.02, b.Mean()+float64(points)/100)), b.Alpha+b.Beta)
}

// know gives the beliefs of a genus and the calendar of a stock's.
func (r *reckoner) know(ctx context.Context, genus, stockGenus string) (map[string]Belief, *season.Calendar, error) {
	if r.beliefs[genus] == nil {
		r.beliefs[genus] = believe(r.ts, r.own, r.genera[genus])
	}
	group := r.genera[stockGenus].SeasonGroup
	c, ok := r.years[group]
	if !ok {
		y, err := r.book.year(ctx, group)
		if err != nil {
			return nil, nil, err
		}
		c = y.Around(r.s.Today())
		r.years[group] = c
	}
	return r.beliefs[genus], c, nil
}

// standing says how a technique stands today with whatever wood is in season.
func (r *reckoner) standing(t technique.Technique, c *season.Calendar) technique.Standing {
	key := c.Year().Group + "/" + t.Key
	s, ok := r.stands[key]
	if !ok {
		s = t.Standing(c, nil, r.s.Today())
		r.stands[key] = s
	}
	return s
}

// need works out an order's grafts at a chance, by the technique with the
// best expected take among those whose window is open; outside every window,
// by the best of all.
func (r *reckoner) need(ctx context.Context, o store.Order, chance float64) (Need, error) {
	n := Need{Chance: chance}
	bs, cal, err := r.know(ctx, o.Genus, o.StockGenus)
	if err != nil {
		return n, err
	}
	g := r.genera[o.Genus]
	for _, onlyOpen := range []bool{true, false} {
		for _, t := range r.ts {
			open := r.standing(t, cal).Verdict != technique.Shut
			if b := bs[t.Key]; (open || !onlyOpen) && b.Take.Mean() > n.By.mean() {
				n.By = b
			}
		}
		if n.By.Technique.Key != "" {
			break
		}
	}
	if n.By.Technique.Key == "" {
		n.Missing = "no technique is in use in this house"
		return n, nil
	}
	expected := whatIf(n.By.Take, r.points)
	sized, err := r.s.sizes.of(want{o.Trees, chance, expected, r.grade})
	if errors.Is(err, sizing.ErrNever) {
		n.Missing = "no number of grafts gives that chance"
		return n, nil
	} else if err != nil {
		return n, err
	}
	n.Grafts, n.Low, n.High = sized.Grafts, sized.low, sized.high
	w := n.By.Working(g)
	n.Working = working.Working{Title: "Grafts to make for order " + o.Code, Answer: fmt.Sprintf("%d", n.Grafts), Rule: "how many to graft",
		Range: fmt.Sprintf("%d if the take runs at the top of its range, %d at the foot. Chance of %d trees or more: %.1f %% with %d, %.1f %% with one fewer", n.Low, n.High, o.Trees, sized.Chance*100, n.Grafts, sized.Fewer*100),
		Says:  "The least number of grafts of which at least the trees wanted take, and are lifted and make the grade, with the chance chosen, when neither rate is known for sure (beta-binomial, chained).",
		Inputs: append([]working.Input{
			{Name: "Trees wanted", Value: fmt.Sprint(o.Trees), Source: working.Entered, Ref: o.Code},
			{Name: "Chance", Value: Pct(chance), Source: working.HouseWay},
			{Name: "Reckoned by", Value: n.By.Technique.Name + ", the best expected take whose window is open", Source: working.HouseDefault},
			{Name: "Expected take", Value: w.Answer + " (" + w.Range + ")" + whatIfSays(r.points), Source: working.OwnRecords},
			{Name: "Lifted and making the grade", Value: fmt.Sprintf("%s (%s), worth %d trees", Pct(r.grade.Mean()), PctRange(r.grade.Interval90()), gradeWeight), Source: r.gradeFrom},
		}, w.Inputs...)}
	return n, nil
}

// want is what the number of grafts depends on.
type want struct {
	trees       int
	chance      float64
	take, grade sizing.Beta
}

// wanted is how many grafts it comes to, and at the ends of the take's range.
type wanted struct {
	sizing.Sized
	low, high int
}

// sizes keeps what was worked out: the same orders are looked at again and
// again, and a size changes only when what it depends on does.
type sizes struct {
	mu   sync.Mutex
	kept map[want]wanted
}

// mostSizes bounds what is kept.
const mostSizes = 20_000

func (s *sizes) of(w want) (wanted, error) {
	s.mu.Lock()
	out, ok := s.kept[w]
	s.mu.Unlock()
	if ok {
		return out, nil
	}
	var err error
	if out.Sized, err = (sizing.Chain{w.take, w.grade}).Size(w.trees, w.chance); err != nil {
		return out, err
	}
	for _, x := range []struct {
		take float64
		into *int
	}{{w.take.Quantile(0.95), &out.low}, {w.take.Quantile(0.05), &out.high}} {
		if *x.into, err = sizing.Grafts(w.trees, w.chance, scaled(w.grade, x.take)); err != nil {
			*x.into = out.Grafts
		}
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.kept == nil || len(s.kept) > mostSizes {
		s.kept = map[want]wanted{}
	}
	s.kept[w] = out
	return out, nil
}

// scaled is a belief of a known share times an unknown one, as a beta of the
// same mean and spread.
func scaled(b sizing.Beta, by float64) sizing.Beta {
	m := b.Mean()
	v := by * by * m * (1 - m) / (b.Alpha + b.Beta + 1)
	m *= by
	return sizing.Prior(m, m*(1-m)/v-1)
}

func whatIfSays(points int) string {
	if points == 0 {
		return ""
	}
	return fmt.Sprintf("; reckoned here with %+d in a hundred", points)
}
