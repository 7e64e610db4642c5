package outlook

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
	"unionknot/internal/core/supply"
	"unionknot/internal/core/take"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// learn weighs a genus' counted tags for jobs to come. It reads outside any
// transaction, and only where the counts have moved since.
func (k *Reckoner) learn(ctx context.Context, genus, mark string) (take.Learned, error) {
	work := func(ctx context.Context) (take.Learned, error) {
		rs, err := k.db.Q().TakeRecords(ctx, store.TakeFilter{Genus: genus})
		if err != nil || len(rs) == 0 {
			return take.Learned{}, err
		}
		l, err := take.Learn(RecordsOf(rs))
		if err != nil {
			return l, fmt.Errorf("weighing %d tags of %s: %w", len(rs), genus, err)
		}
		return l, nil
	}
	l, _, err := k.learned.Get(genus, mark, func() (take.Learned, error) { return work(ctx) },
		func() (take.Learned, error) { return work(context.WithoutCancel(ctx)) })
	return l, err
}

// OrderLine is an order with what it needs and has.
type OrderLine struct {
	Order store.Order
	Need  Need
	ToGo  int // grafts still to be put in a batch
	Stand supply.Stand
	Means Means
}

// Later says that nothing lacks: it is budded in summer.
func (l OrderLine) Later() bool { return l.Stand.State == supply.LaterInYear }

// Ready says that it can be matched.
func (l OrderLine) Ready() bool { return l.Stand.State == supply.Ready }

// Done says that nothing is to be made ready for it.
func (l OrderLine) Done() bool {
	return slices.Contains([]supply.State{supply.AllGrafted, supply.AtTheBench, supply.Closed}, l.Stand.State)
}

// WhatIf is what a planner tries out on the orders.
type WhatIf struct {
	Chance float64 // 0: the house's
	Points int     // hundredths added to every expected take
}

// mostPoints bounds how far a take can be moved to try it out.
const mostPoints = 30

// Fill puts what was left out of w in its place, and bounds the rest.
func (w *WhatIf) Fill(h store.House) {
	if w.Chance <= 0 || w.Chance >= 1 {
		w.Chance = h.Chance
	}
	w.Points = min(mostPoints, max(-mostPoints, w.Points))
}

// OrderLines sizes the open orders of a snapshot, and gives the sizer for more.
func (k *Reckoner) OrderLines(ctx context.Context, f *snapshot.Snapshot, w *WhatIf) ([]OrderLine, *OrderSizer, error) {
	w.Fill(f.House)
	r, err := k.Sizer(ctx, f)
	if err != nil {
		return nil, nil, err
	}
	r.Points = w.Points
	out, err := r.Lines(w.Chance)
	return out, r, err
}

// Lines sizes every open order at a chance.
func (r *OrderSizer) Lines(chance float64) ([]OrderLine, error) {
	out := make([]OrderLine, 0, len(r.F.Orders))
	for _, o := range r.F.Orders {
		l, err := r.Line(o, chance)
		if err != nil {
			return nil, err
		}
		out = append(out, l)
	}
	return out, nil
}

// Line sizes one order at a chance, and says how it stands.
func (r *OrderSizer) Line(o store.Order, chance float64) (OrderLine, error) {
	l := OrderLine{Order: o}
	var err error
	if l.Need, err = r.Need(o, chance); err != nil {
		return l, fmt.Errorf("order %s: %w", o.Code, err)
	}
	l.ToGo = max(0, l.Need.Grafts-o.Batched)
	if o.ClosedOn != nil {
		l.ToGo = 0
	}
	shut := l.Need.Standing.Verdict == technique.Shut
	l.Stand.State, l.Stand.Short = supply.Standing{
		Sized:      l.Need.Missing == "",
		Closed:     o.ClosedOn != nil,
		ToGo:       l.ToGo,
		Unfinished: o.Unfinished,
		Stems:      o.StockFree,
		Pieces:     o.WoodFree,
		Summer:     l.Need.Summer,
		Shut:       shut,
	}.Stands()
	l.Stand.Opens, l.Stand.Why = l.Need.Standing.Opens, l.Need.Missing
	return l, nil
}

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

// Reckoner works out what follows from facts, and keeps what takes long from
// one snapshot to the next.
type Reckoner struct {
	db      *store.DB
	sizes   sizes
	learned snapshot.Fits[take.Learned]
}

// NewReckoner reads counts from a database.
func NewReckoner(db *store.DB) *Reckoner { return &Reckoner{db: db} }

// OrderSizer works out what many orders need, from one snapshot.
type OrderSizer struct {
	sizes     *sizes
	F         *snapshot.Snapshot
	Beliefs   map[string]map[string]Belief // by genus and technique
	Learned   map[string]take.Learned      // by genus
	Knowers   map[string]int               // by technique
	calendars map[string]*season.Calendar  // by season group
	stands    map[string]technique.Standing
	grade     sizing.Beta // of live trees that are lifted and make the grade
	gradeFrom string      // its source
	Points    int         // added to every expected take, in hundredths: what if
	tagSize   int
}

// Sizer readies what the open orders, and of others their genera, are sized by.
func (k *Reckoner) Sizer(ctx context.Context, f *snapshot.Snapshot, genera ...string) (*OrderSizer, error) {
	r := &OrderSizer{
		sizes:     &k.sizes,
		F:         f,
		Beliefs:   map[string]map[string]Belief{},
		Learned:   map[string]take.Learned{},
		Knowers:   f.Knowers(),
		calendars: map[string]*season.Calendar{},
		stands:    map[string]technique.Standing{},
		grade:     sizing.Prior(f.House.GradeShare, gradeWeight),
		gradeFrom: WorthOf(f.House).Source(gradeOf),
		tagSize:   max(1, f.House.TagSize),
	}
	for _, o := range f.Orders {
		genera = append(genera, o.Genus)
	}
	mark := fmt.Sprint(f.Stamp.Takes)
	for _, g := range genera {
		if r.Beliefs[g] != nil {
			continue
		}
		l, err := k.learn(ctx, g, mark)
		if err != nil {
			return nil, err
		}
		r.Learned[g], r.Beliefs[g] = l, believe(f.Techniques, l, f.Genus(g))
	}
	return r, nil
}

// shares is how an order of so many grafts lies on lots, bundles and workers:
// its batches as they are, and the rest on the fewest piles that suffice.
func (r *OrderSizer) shares(o store.Order, t technique.Technique, grafts int) take.Shares {
	lots, bundles, made := map[int64]int{}, map[int64]int{}, 0
	for _, p := range o.Portions {
		lots[p.LotID] += p.N
		bundles[p.BundleID] += p.N
		made += p.N
	}
	var stems, pieces []int
	for _, l := range r.F.LotsOf(o.StockTypeID) {
		stems = append(stems, l.Free)
	}
	for _, b := range r.F.BundlesOf(o.VarietyID) {
		pieces = append(pieces, b.Free)
	}
	rest := func(free []int) []int { return take.FewestThatSuffice(free, grafts-made) }
	workers := max(1, min(r.Knowers[t.Key], (grafts+r.tagSize-1)/r.tagSize))
	return take.Shares{Worker: 1 / float64(workers), Lot: take.SharesOf(append(slices.Collect(maps.Values(lots)), rest(stems)...)),
		Bundle: take.SharesOf(append(slices.Collect(maps.Values(bundles)), rest(pieces)...))}
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

// Know gives the beliefs of a genus and the calendar of a stock's.
func (r *OrderSizer) Know(genus, stockGenus string) (map[string]Belief, *season.Calendar) {
	group := r.F.Genus(stockGenus).SeasonGroup
	c, ok := r.calendars[group]
	if !ok {
		c = r.F.Around(group)
		r.calendars[group] = c
	}
	return r.Beliefs[genus], c
}

// Ground says where an order's stock stands: in the row where all of its type
// that is free does.
func (r *OrderSizer) Ground(stockType int64) technique.Ground {
	free, row := 0, 0
	for _, l := range r.F.LotsOf(stockType) {
		free += l.Free
		if l.Form == InRow {
			row += l.Free
		}
	}
	if free > 0 && row == free {
		return technique.InRow
	}
	return technique.OnBench
}

// Standing says how a technique stands today with whatever wood is in season.
func (r *OrderSizer) Standing(t technique.Technique, c *season.Calendar, ground technique.Ground) technique.Standing {
	key := fmt.Sprint(c.Year().Group, "/", t.Key, ground)
	s, ok := r.stands[key]
	if !ok {
		s = t.Standing(c, nil, ground, r.F.Today)
		r.stands[key] = s
	}
	return s
}

// Need works out an order's grafts at a chance, by the technique with the
// best expected take among those whose window is open; outside every window,
// by the best of all.
func (r *OrderSizer) Need(o store.Order, chance float64) (Need, error) {
	n := Need{Chance: chance}
	bs, cal := r.Know(o.Genus, o.StockGenus)
	g := r.F.Genus(o.Genus)
	ground := r.Ground(o.StockTypeID)
	how := "the best expected take whose window is open"
	if g.UsualWay == summerBud {
		// The ordinary way is reckoned by, whatever else could be done meanwhile.
		how = "the best bud of summer, as " + g.Name + "s are grown"
		for _, t := range r.F.Techniques {
			if b := bs[t.Key]; t.BudsMax == 1 && slices.Contains(t.WoodStates, season.RipeGreen) && b.Take.Mean() > n.By.mean() {
				n.By = b
			}
		}
		if st := n.By.Technique.Standing(cal, []string{season.RipeGreen}, technique.InRow, r.F.Today); n.By.Technique.Key != "" {
			n.Summer, n.Standing = true, st
		}
	}
	for _, onlyOpen := range []bool{true, false} {
		if n.By.Technique.Key != "" {
			break
		}
		for _, t := range r.F.Techniques {
			open := r.Standing(t, cal, ground).Verdict != technique.Shut
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
	expected := whatIf(n.By.Expected.On(shares), r.Points)
	sized, err := r.sizes.of(want{o.Trees, chance, expected, r.grade})
	if errors.Is(err, sizing.ErrNever) {
		n.Missing = "no number of grafts gives that chance"
		return n, nil
	} else if err != nil {
		return n, err
	}
	n.Grafts, n.Low, n.High = sized.Grafts, sized.low, sized.high
	w := n.By.Working(g)
	n.Working = working.Working{Title: "Grafts to make for order " + o.Code, Answer: fmt.Sprintf("%d", n.Grafts), Rule: "how many to graft",
		Range: fmt.Sprintf(
			"%d if the take runs at the top of its range, %d at the foot. Chance of %d trees or more: %.1f %% with %d, %.1f %% with "+
				"one fewer",
			n.Low,
			n.High,
			o.Trees,
			sized.Chance*100,
			n.Grafts,
			sized.Fewer*100,
		),
		Says: "The least number of grafts of which at least the trees wanted take, and are lifted and make the grade, with the chance " +
			"chosen, when neither rate is known for sure (beta-binomial, chained).",
		Inputs: append([]working.Input{
			{Name: "Trees wanted", Value: fmt.Sprint(o.Trees), Source: working.Entered, Ref: o.Code},
			{Name: "Chance", Value: words.Pct(chance), Source: working.HouseWay},
			{Name: "Reckoned by", Value: n.By.Technique.Name + ", " + how, Source: working.HouseDefault},
			{Name: "Expected take", Value: w.Answer + " (" + w.Range + ")" + whatIfSays(r.Points), Source: working.OwnRecords},
			{
				Name: "On this order",
				Value: fmt.Sprintf("%s: it lies on as much as %s, %s and %s alike, and these differ", words.PctRange(expected.Interval90()),
					few(shares.Lot, "lot"), few(shares.Bundle, "bundle"), few(shares.Worker, "worker")),
				Source: working.OwnRecords,
			},
			{
				Name: "Lifted and making the grade",
				Value: fmt.Sprintf(
					"%s (%s), worth %d trees",
					words.Pct(r.grade.Mean()),
					words.PctRange(r.grade.Interval90()),
					gradeWeight,
				),
				Source: r.gradeFrom,
			},
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
