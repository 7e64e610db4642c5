package nursery

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"sync"

	"unionknot/internal/core/season"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/take"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// Need is how many grafts an order wants, and why.
type Need struct {
	Grafts int
	Low    int // if the take runs at the top of its range
	High   int // if it runs at the foot of it
	Chance float64
	By     Belief // the technique it is reckoned by
	// Summer says that it is budded with green wood of the coming summer, and
	// Standing how that stands today: wood is cut when it opens.
	Summer   bool
	Standing technique.Standing
	Missing  string // why there is no number
	Working  working.Working
}

// reckoner works out many orders at a time, asking the store once for what
// they share.
type reckoner struct {
	s         *Service
	q         store.Q
	genera    map[string]store.Genus
	beliefs   map[string]map[string]Belief
	learned   map[string]take.Learned // by genus
	mark      string                  // of the counts so far
	ts        []technique.Technique
	free      []store.FreePile
	portions  map[int64][]store.Portion // by order
	knowers   map[string]int            // by technique
	book      *almanac
	years     map[string]*season.Calendar // by season group
	stands    map[string]technique.Standing
	grade     sizing.Beta // of live trees that are lifted and make the grade
	gradeFrom string      // its source
	points    int         // added to every expected take, in hundredths: what if
	tagSize   int
	house     store.House
}

func (s *Service) reckon(ctx context.Context, q store.Q) (*reckoner, error) {
	r := &reckoner{s: s, q: q, book: s.almanac(q), genera: map[string]store.Genus{}, beliefs: map[string]map[string]Belief{}, learned: map[string]take.Learned{},
		portions: map[int64][]store.Portion{}, knowers: map[string]int{}, years: map[string]*season.Calendar{}, stands: map[string]technique.Standing{}}
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
	r.tagSize, r.house = max(1, h.TagSize), h
	r.grade, r.gradeFrom = sizing.Prior(h.GradeShare, gradeWeight), WorthOf(h).source(gradeOf)
	if r.mark, err = q.CountsSoFar(ctx); err != nil {
		return r, err
	}
	if r.free, err = q.FreePiles(ctx); err != nil {
		return r, err
	}
	ps, err := q.Portions(ctx, s.Today().AddDate(0, -1, 0))
	if err != nil {
		return r, err
	}
	for _, p := range ps {
		r.portions[p.OrderID] = append(r.portions[p.OrderID], p)
	}
	ks, err := q.KnowersOf(ctx)
	for _, k := range ks {
		r.knowers[k.Technique] = k.N
	}
	return r, err
}

// shares is how an order of so many grafts lies on lots, bundles and workers:
// its batches as they are, and the rest on the fewest piles that suffice.
func (r *reckoner) shares(o store.Order, t technique.Technique, grafts int) take.Shares {
	lots, bundles, made := map[int64]int{}, map[int64]int{}, 0
	for _, p := range r.portions[o.ID] {
		lots[p.LotID] += p.N
		bundles[p.BundleID] += p.N
		made += p.N
	}
	rest := func(wood bool, of int64) []int {
		var free []int
		for _, p := range r.free {
			if p.Wood == wood && p.Of == of {
				free = append(free, p.N)
			}
		}
		return take.FewestThatSuffice(free, grafts-made)
	}
	workers := max(1, min(r.knowers[t.Key], (grafts+r.tagSize-1)/r.tagSize))
	return take.Shares{Worker: 1 / float64(workers), Lot: take.SharesOf(append(slices.Collect(maps.Values(lots)), rest(false, o.StockTypeID)...)),
		Bundle: take.SharesOf(append(slices.Collect(maps.Values(bundles)), rest(true, o.VarietyID)...))}
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
		l, err := r.s.learn(ctx, r.q, genus, r.mark)
		if err != nil {
			return nil, nil, err
		}
		r.learned[genus], r.beliefs[genus] = l, believe(r.ts, l, r.genera[genus])
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

// ground says where an order's stock stands: in the row where all of its type
// that is free does.
func (r *reckoner) ground(stockType int64) technique.Ground {
	free, row := 0, 0
	for _, p := range r.free {
		if !p.Wood && p.Of == stockType {
			free += p.N
			if p.InRow {
				row += p.N
			}
		}
	}
	if free > 0 && row == free {
		return technique.InRow
	}
	return technique.OnBench
}

// standing says how a technique stands today with whatever wood is in season.
func (r *reckoner) standing(t technique.Technique, c *season.Calendar, ground technique.Ground) technique.Standing {
	key := fmt.Sprint(c.Year().Group, "/", t.Key, ground)
	s, ok := r.stands[key]
	if !ok {
		s = t.Standing(c, nil, ground, r.s.Today())
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
	ground := r.ground(o.StockTypeID)
	how := "the best expected take whose window is open"
	if g.UsualWay == summerBud {
		// The ordinary way is reckoned by, whatever else could be done meanwhile.
		how = "the best bud of summer, as " + g.Name + "s are grown"
		for _, t := range r.ts {
			if b := bs[t.Key]; t.BudsMax == 1 && slices.Contains(t.WoodStates, season.RipeGreen) && b.Take.Mean() > n.By.mean() {
				n.By = b
			}
		}
		if st := n.By.Technique.Standing(cal, []string{season.RipeGreen}, technique.InRow, r.s.Today()); n.By.Technique.Key != "" {
			n.Summer, n.Standing = true, st
		}
	}
	for _, onlyOpen := range []bool{true, false} {
		if n.By.Technique.Key != "" {
			break
		}
		for _, t := range r.ts {
			open := r.standing(t, cal, ground).Verdict != technique.Shut
			if b := bs[t.Key]; (open || !onlyOpen) && b.Take.Mean() > n.By.mean() {
				n.By = b
			}
		}
	}
	if n.By.Technique.Key == "" {
		n.Missing = "no technique is in use in this house"
		return n, nil
	}
	shares := r.shares(o, n.By.Technique, int(math.Ceil(float64(o.Trees)/n.By.mean())))
	expected := whatIf(n.By.Expected.On(shares), r.points)
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
			{Name: "Reckoned by", Value: n.By.Technique.Name + ", " + how, Source: working.HouseDefault},
			{Name: "Expected take", Value: w.Answer + " (" + w.Range + ")" + whatIfSays(r.points), Source: working.OwnRecords},
			{Name: "On this order", Value: fmt.Sprintf("%s: it lies on as much as %s, %s and %s alike, and these differ", PctRange(expected.Interval90()),
				few(shares.Lot, "lot"), few(shares.Bundle, "bundle"), few(shares.Worker, "worker")), Source: working.OwnRecords},
			{Name: "Lifted and making the grade", Value: fmt.Sprintf("%s (%s), worth %d trees", Pct(r.grade.Mean()), PctRange(r.grade.Interval90()), gradeWeight), Source: r.gradeFrom},
		}, w.Inputs...)}
	return n, nil
}

// few says how many alike a sum of squared shares comes to: 1 for all on one.
func few(share float64, of string) string {
	n := 1 / share
	if n < 1.05 {
		return "one " + of
	}
	return fmt.Sprintf("%.1f %ss", n, of)
}

// summerBud is the usual way of a genus whose stock is budded in the row.
const summerBud = "summer bud"

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
