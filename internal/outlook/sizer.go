package outlook

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"sync"
	"time"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
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
//
// behind says that what it gives is of counts before, since theirs take long.
func (k *Reckoner) learn(ctx context.Context, genus, mark string) (l take.Learned, behind bool, err error) {
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
	return k.learned.Get(genus, mark, func() (take.Learned, error) { return work(ctx) },
		func() (take.Learned, error) { return work(context.WithoutCancel(ctx)) })
}

// Weighed weighs all counted tags, of every genus, for what is to come.
func (k *Reckoner) Weighed(ctx context.Context, f *snapshot.Snapshot) (take.Learned, error) {
	l, _, err := k.learn(ctx, "", fmt.Sprint(f.Stamp.Takes))
	return l, err
}

// OrderLine is an order with what it needs and has.
type OrderLine struct {
	Order    store.Order
	Need     Need
	Balance  supply.Balance
	ToGo     int // grafts still to be put in a batch, for the chance planned with
	Weavable Weavable
	Stand    supply.Stand
	Means    Means
}

// fellBy is by how much an order's chance falls below what was planned until that
// is warned of. House default.
const fellBy = 0.05

// Fell says that counts, dead tags or short finishes ask for more grafts than
// were planned, so that the order's chance is clearly below what it was planned
// with.
func (l OrderLine) Fell() bool {
	return l.Balance.Fell > 0 && l.Balance.Chance < l.Need.Chance-fellBy && l.Order.ClosedOn == nil
}

// Overdue is how many trees are still owed after the order's date.
func (l OrderLine) Overdue(today time.Time) int {
	if l.Order.ClosedOn != nil || l.Order.Tree != "" || !l.Order.DueOn.Before(today) {
		return 0
	}
	return l.Balance.Owed
}

// Lacks says that it cannot be made as it stands.
func (l OrderLine) Lacks() bool {
	return len(l.Means.Lacking()) > 0
}

// Later says that nothing lacks: it is budded in summer.
func (l OrderLine) Later() bool { return l.Stand.State == supply.LaterInYear }

// Waits says that nothing lacks for a limb's grafts: their season is to come.
func (l OrderLine) Waits() bool { return l.Stand.State == supply.WaitsSeason }

// Ready says that it can be matched.
func (l OrderLine) Ready() bool { return l.Stand.State == supply.Ready }

// Done says that nothing is to be made ready for it.
func (l OrderLine) Done() bool {
	return slices.Contains([]supply.State{supply.AllGrafted, supply.AtTheBench, supply.Closed, supply.Met, supply.Delivered}, l.Stand.State)
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

// Line sizes one order at a chance by what was seen of its grafts, and says how
// it stands.
func (r *OrderSizer) Line(o store.Order, chance float64) (OrderLine, error) {
	l := OrderLine{Order: o}
	var err error
	if l.Need, l.Balance, err = r.Need(o, chance); err != nil {
		return l, fmt.Errorf("order %s: %w", o.Code, err)
	}
	if l.Weavable, err = r.Weavable(o, l.Need); err != nil {
		return l, fmt.Errorf("order %s: %w", o.Code, err)
	}
	if l.ToGo = l.Balance.ToGo; o.ClosedOn != nil {
		l.ToGo = 0
	}
	shut := l.Need.Standing.Verdict == technique.Shut
	l.Stand.State, l.Stand.Short = supply.Standing{
		Sized:      l.Need.Missing == "",
		Closed:     o.ClosedOn != nil,
		Met:        l.Balance.Met,
		ToGo:       l.ToGo,
		Unfinished: o.Unfinished,
		Delivered:  o.Tree == "" && o.Trees > 0 && o.Gone >= o.Trees,
		Stems:      l.Weavable.Stems,
		Pieces:     l.Weavable.Pieces / l.Need.By.Technique.Pieces(),
		Summer:     l.Need.Summer,
		Shut:       shut,
	}.Stands()
	l.Stand.Opens, l.Stand.Why = l.Need.Standing.Opens, l.Need.Missing
	if opens, ok := waits(r, l); ok {
		l.Stand.State, l.Stand.Short, l.Stand.Opens = supply.WaitsSeason, 0, opens
	}
	return l, nil
}

// waits says that a limb's grafts only wait for their season, with wood and places there, and when
// that opens. A limb is what it is: no other stock is taken in its stead, by what the season has now.
func waits(r *OrderSizer, l OrderLine) (opens time.Time, ok bool) {
	t := l.Need.By.Technique
	if l.Order.Tree == "" || l.ToGo == 0 || t.Key == "" || l.Need.Summer || l.Need.Missing != "" {
		return opens, false
	}
	st := r.StandingFor(t, l.Order)
	pieces, places := 0, 0
	for _, w := range r.Beds.Bundles(l.Order.VarietyID) {
		pieces += w.Free
	}
	for _, x := range r.Beds.Lots(l.Order.StockTypeID) {
		places += x.Free
	}
	return st.Opens, st.Verdict == technique.Shut && !st.Opens.IsZero() && pieces >= l.ToGo*t.Pieces() && places >= l.ToGo
}

// Need is how many grafts an order wants, and why.
type Need struct {
	Grafts int // in all: those made, and those to go
	Low    int // if the take runs at the top of its range
	High   int // if it runs at the foot of it
	Chance float64
	By     Belief // the technique it is reckoned by
	// Summer says that it is budded with green wood of the coming summer, and
	// Standing how that stands today: wood is cut when it opens.
	Summer   bool
	Standing technique.Standing
	Missing  supply.Unknown // why there is no number
	Working  working.Working
}

// Reckoner works out what follows from facts, and keeps what takes long from
// one snapshot to the next.
type Reckoner struct {
	db      *store.DB
	sizes   memo[string, supply.Balance]
	beliefs memo[string, map[string]Belief]
	lies    memo[lie, sizing.Beta]
	fate    memo[string, fates]
	learned snapshot.Fits[take.Learned]
}

// lie is an expected take on an order that lies so.
type lie struct {
	of   take.Expected
	on   take.Shares
	buds int // on each stock
}

// NewReckoner reads counts from a database.
func NewReckoner(db *store.DB) *Reckoner { return &Reckoner{db: db} }

// OrderSizer works out what many orders need, from one snapshot.
type OrderSizer struct {
	k         *Reckoner
	F         *snapshot.Snapshot
	Beds      *Beds
	Beliefs   map[string]map[string]Belief // by genus and technique
	Learned   map[string]take.Learned      // by genus
	Knowers   map[string]int               // by technique
	calendars map[string]*season.Calendar  // by season group
	stands    map[string]technique.Standing
	ways      map[string][]pairing.Way // by genus, stock genus and where the stock stands
	Fate      Fate
	Points    int // added to every expected take, in hundredths: what if
	tagSize   int
}

// Sizer readies what the open orders, and of others their genera, are sized by.
func (k *Reckoner) Sizer(ctx context.Context, f *snapshot.Snapshot, genera ...string) (*OrderSizer, error) {
	r := &OrderSizer{
		k:         k,
		F:         f,
		Beliefs:   map[string]map[string]Belief{},
		Learned:   map[string]take.Learned{},
		Knowers:   f.Knowers(),
		calendars: map[string]*season.Calendar{},
		stands:    map[string]technique.Standing{},
		Beds:      BedsOf(f),
		ways:      map[string][]pairing.Way{},
		tagSize:   max(1, f.House.TagSize),
	}
	var err error
	if r.Fate, err = k.Fate(ctx, f); err != nil {
		return nil, err
	}
	for _, o := range f.Orders {
		genera = append(genera, o.Genus)
	}
	mark := fmt.Sprint(f.Stamp.Takes)
	for _, g := range genera {
		if r.Beliefs[g] != nil {
			continue
		}
		l, behind, err := k.learn(ctx, g, mark)
		if err != nil {
			return nil, err
		}
		r.Learned[g] = l
		if behind { // not to be kept for the counts of now
			r.Beliefs[g] = believe(f, f.Techniques, l, f.Genus(g))
			continue
		}
		r.Beliefs[g], _ = k.beliefs.get(fmt.Sprint(g, " ", mark, " ", f.Stamp.Settings), func() (map[string]Belief, error) {
			return believe(f, f.Techniques, l, f.Genus(g)), nil
		})
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
	for _, l := range r.Beds.Lots(o.StockTypeID) {
		stems = append(stems, l.Free)
	}
	for _, b := range r.Beds.Bundles(o.VarietyID) {
		pieces = append(pieces, b.Free)
	}
	rest := func(free []int, each int) []int { return take.FewestThatSuffice(free, (grafts-made)*each) }
	workers := max(1, min(r.Knowers[t.Key], (grafts+r.tagSize-1)/r.tagSize))
	return take.Shares{Worker: 1 / float64(workers), Lot: take.SharesOf(append(slices.Collect(maps.Values(lots)), rest(stems, 1)...)),
		Bundle: take.SharesOf(append(slices.Collect(maps.Values(bundles)), rest(pieces, t.Pieces())...))}
}

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

// Standing says how a technique stands today with whatever wood is in season.
func (r *OrderSizer) Standing(t technique.Technique, c *season.Calendar, ground technique.Ground) technique.Standing {
	return r.standingWith(t, c, ground, "")
}

// standingWith says how it stands with wood of a state; "" for whatever there is
// in season.
func (r *OrderSizer) standingWith(t technique.Technique, c *season.Calendar, ground technique.Ground, state string) technique.Standing {
	key := fmt.Sprint(c.Year().Group, "/", t.Key, ground, state)
	s, ok := r.stands[key]
	if !ok {
		var states []string
		if state != "" {
			states = []string{state}
		}
		s = t.Standing(c, states, ground, r.F.Today)
		r.stands[key] = s
	}
	return s
}

// reckonedBy chooses the technique that an order is reckoned by: the one with the
// best expected take among those whose window is open; outside every window, the
// best of all. passed is the better one that the season shuts, if there is one.
func (r *OrderSizer) reckonedBy(o store.Order, n *Need) (how words.Reckoned, passed Belief) {
	bs, cal := r.Know(o.Genus, o.StockGenus)
	g := r.F.Genus(o.Genus)
	if g.UsualWay == summerBud {
		// The ordinary way is reckoned by, whatever else could be done meanwhile.
		for _, t := range r.F.Techniques {
			if b := bs[t.Key]; t.BudsMax == 1 && slices.Contains(t.WoodStates, season.RipeGreen) && b.Take.Mean() > n.By.mean() {
				n.By = b
			}
		}
		if n.By.Technique.Key != "" {
			n.Summer, n.Standing = true, n.By.Technique.Standing(cal, []string{season.RipeGreen}, technique.InRow, r.F.Today)
			return words.BySummers, passed
		}
	}
	for _, t := range onLimb(r, o, takingWood(r, o.VarietyID)) {
		b := bs[t.Key]
		if b.Take.Mean() > passed.mean() {
			passed = b
		}
		if b.Take.Mean() > n.By.mean() && r.StandingFor(t, o).Verdict != technique.Shut {
			n.By = b
		}
	}
	switch {
	case n.By.Technique.Key == "":
		n.By = passed
		return words.ByBest, Belief{}
	case n.By.Technique.Key == passed.Technique.Key:
		passed = Belief{}
	}
	return words.ByOpen, passed
}

// onLimb gives of techniques those that a limb is of a size for, with wood of the variety where
// there is some: a limb is what it is, and is not chosen among others. Other orders keep them all.
func onLimb(r *OrderSizer, o store.Order, ts []technique.Technique) []technique.Technique {
	if o.Tree == "" {
		return ts
	}
	var stock, scion []caliper.Class
	for _, l := range r.Beds.Lots(o.StockTypeID) {
		for _, c := range LotDiameters(l).All {
			stock = append(stock, c.Class)
		}
	}
	for _, b := range r.Beds.Bundles(o.VarietyID) {
		if d, _, err := BundleDiameters(b.BundlePile); err == nil {
			for _, c := range d.Free {
				scion = append(scion, c.Class)
			}
		}
	}
	out := slices.DeleteFunc(slices.Clone(ts), func(t technique.Technique) bool {
		return len(stock) > 0 && !slices.ContainsFunc(stock, func(s caliper.Class) bool {
			mm := s.Middle()
			return mm >= t.StockMinMM && mm <= t.StockMaxMM && (len(scion) == 0 || slices.ContainsFunc(scion,
				func(w caliper.Class) bool { return t.Joins(s, w) }))
		})
	})
	if len(out) == 0 {
		return ts
	}
	return out
}

// takingWood gives the techniques that take some of a variety's wood by its buds and
// state; where there is no wood, or none takes it, more will be cut for any.
func takingWood(r *OrderSizer, variety int64) []technique.Technique {
	bs := r.Beds.Bundles(variety)
	out := slices.DeleteFunc(slices.Clone(r.F.Techniques), func(t technique.Technique) bool {
		return !slices.ContainsFunc(bs, func(b KeptPile) bool { return t.MisfitOfWood(b.State, b.BudsPerPiece).Limit == "" })
	})
	if len(out) == 0 {
		return r.F.Techniques
	}
	return out
}

// account is every graft of an order, with what is believed of it.
func (r *OrderSizer) account(o store.Order, by Belief, chance float64) supply.Account {
	on := func(b Belief) sizing.Beta {
		lies := r.shares(o, b.Technique, int(math.Ceil(float64(o.Trees)/b.mean())))
		take, _ := r.k.lies.get(lie{b.Expected, lies, b.Technique.Pieces()}, func() (sizing.Beta, error) {
			return b.Expected.On(lies).OneOf(b.Technique.Pieces()), nil
		})
		return whatIf(take, r.Points)
	}
	a := supply.Account{Wanted: o.Trees, Alive: o.Alive, Gone: o.Gone, Doubtful: o.Doubtful, Dead: o.Dead,
		Below: o.Below, Elsewhere: o.Elsewhere, Borrowed: o.Borrowed, Grade: becomes(r, o),
		More: on(by), Chance: chance,
		Planned: o.Batched}
	bs := r.Beliefs[o.Genus]
	for _, m := range o.Made {
		b, ok := bs[m.Technique]
		if !ok || b.mean() == 0 { // a technique that the house no longer has
			b = by
		}
		b.Technique.BudsAStock = m.Buds // as it was made, whatever the practice is today
		a.Of = append(a.Of, supply.Of{Rest: m.Rest, Bench: m.Bench, Healing: m.Healing, Take: on(b)})
	}
	return a
}

// becomes is the belief in how many live grafts of an order become what is wanted of it: those on
// a limb of a tree are neither lifted nor graded.
func becomes(r *OrderSizer, o store.Order) sizing.Beta {
	if o.Tree != "" {
		return sizing.Prior(1-1e-9, 1e9)
	}
	return r.Fate.Both
}

// interstem is the kind of a tree with a middle piece.
const interstem = "interstem"

// onEach corrects a balance of an order for a limb of trees alike: each tree that was begun bears
// it, so that as many grafts are to go as trees have none that lives or may, and room for one.
func onEach(r *OrderSizer, o store.Order, b supply.Balance) supply.Balance {
	if o.LimbTrees > 1 {
		room := 0
		for _, l := range r.Beds.Lots(o.StockTypeID) {
			room += l.Free
		}
		// The top of an interstem goes where its middle piece lives, or may.
		for _, low := range r.F.Orders {
			if o.TreeKind == interstem && low.TreeID == o.TreeID && low.Letter < o.Letter {
				may := low.Alive + low.Doubtful
				for _, m := range low.Made {
					may += m.Rest + m.Bench + m.Healing
				}
				if low.Dead > 0 { // counted, in part at least
					room = min(room, max(0, may-(b.Alive-o.Gone)-b.Doubtful-b.Rest-b.Bench-b.Healing))
				}
			}
		}
		b.ToGo = max(0, min(room, o.LimbTrees-(b.Alive-o.Gone)-b.Doubtful-b.Rest-b.Bench-b.Healing))
		b.Low, b.High, b.Fresh = b.ToGo, b.ToGo, o.LimbTrees
	}
	return b
}

// Need works out an order's grafts at a chance, by what was made of it and seen,
// and by the technique with the best expected take among those whose window is
// open; outside every window, by the best of all.
func (r *OrderSizer) Need(o store.Order, chance float64) (Need, supply.Balance, error) {
	n := Need{Chance: chance}
	how, passed := r.reckonedBy(o, &n)
	if n.By.Technique.Key == "" {
		n.Missing = supply.NoTechnique
		return n, supply.Balance{Wanted: o.Trees, Alive: o.Alive, Doubtful: o.Doubtful, Dead: o.Dead, Delivered: o.Gone,
			Owed: max(0, o.Trees-o.Gone), Below: o.Below, Elsewhere: o.Elsewhere, Borrowed: o.Borrowed}, nil
	}
	a := r.account(o, n.By, chance)
	b, err := r.size(a)
	if errors.Is(err, sizing.ErrNever) {
		n.Missing = supply.NoNumber
		return n, b, nil
	} else if err != nil {
		return n, b, err
	}
	b = onEach(r, o, b)
	n.Grafts, n.Low, n.High = b.Grafts(), b.Made()+b.Low, b.Made()+b.High
	g := r.F.Genus(o.Genus)
	lies := r.shares(o, n.By.Technique, int(math.Ceil(float64(o.Trees)/n.By.mean())))
	w := words.Need{Order: o.Code, Trees: o.Trees, Chance: chance, Planned: o.Batched, Balance: b, Technique: n.By.Technique.Name,
		Genus: g.Name, Why: how, Expected: n.By.Working(g), Points: r.Points, On: a.More.Interval90(), Lot: lies.Lot, Bundle: lies.Bundle,
		Worker: lies.Worker, Tree: o.Tree, LimbTrees: o.LimbTrees, Later: r.Fate.Later, LaterFrom: r.Fate.LaterFrom, Grade: r.Fate.Grade,
		GradeFrom: r.Fate.From}
	if passed.Technique.Key != "" {
		if pb, err := r.size(r.account(o, passed, chance)); err == nil {
			w.Passed = &words.Passed{Technique: passed.Technique.Name, Take: passed.mean(), ToGo: pb.ToGo, Grafts: pb.Grafts(),
				Standing: r.StandingFor(passed.Technique, o)}
		}
	}
	n.Working = w.Working()
	return n, b, nil
}

// summerBud is the usual way of a genus whose stock is budded in the row.
const summerBud = "summer bud"

// size works out how an order stands, or gives what was worked out: the same orders
// are looked at again and again, and a size changes only when what it depends on
// does.
func (r *OrderSizer) size(a supply.Account) (supply.Balance, error) {
	return r.k.sizes.get(fmt.Sprintf("%+v", a), a.Balance)
}

// memo keeps what takes long to work out, by all that it depends on.
type memo[K comparable, V any] struct {
	mu   sync.Mutex
	kept map[K]V
}

// mostKept bounds what a memo keeps; a full one begins anew.
const mostKept = 20_000

// get gives what is kept for a key, or works it out and keeps it.
func (m *memo[K, V]) get(key K, work func() (V, error)) (V, error) {
	m.mu.Lock()
	v, ok := m.kept[key]
	m.mu.Unlock()
	if ok {
		return v, nil
	}
	v, err := work()
	if err != nil {
		return v, err
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.kept == nil || len(m.kept) > mostKept {
		m.kept = map[K]V{}
	}
	m.kept[key] = v
	return v, nil
}
