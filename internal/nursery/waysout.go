package nursery

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// House defaults of ways out.
const (
	careLoss      = 0.10 // take lost on a pair of genera that goes with care
	summerDelay   = 0.5  // of a year's delay, for a bud that sleeps till spring
	cutPieceCents = 8    // the work of cutting a piece more from the mother plants
)

// WayOut is a way in which an order that cannot be met could be.
type WayOut struct {
	Says    string
	Path    string // where it is done
	Covers  int    // grafts of what lacks
	Cents   int    // what it costs, against having enough
	Working working.Working
}

// EachCents is the cost of a graft covered.
func (w WayOut) EachCents() float64 { return float64(w.Cents) / float64(max(1, w.Covers)) }

// waysOut finds how an order that lacks something could be met, the cheapest
// a graft first.
func (s *Service) waysOut(ctx context.Context, q store.Q, r *reckoner, p OrderPage) ([]WayOut, error) {
	l := p.Line
	if len(l.Means.Lacking()) == 0 {
		return nil, nil
	}
	h, err := q.House(ctx)
	if err != nil {
		return nil, err
	}
	bs, cal, err := r.know(ctx, l.Order.Genus, l.Order.StockGenus)
	if err != nil {
		return nil, err
	}
	f := finder{s: s, q: q, r: r, h: h, p: p, beliefs: bs, cal: cal, t: l.Need.By.Technique, take: l.Need.By.mean()}
	f.wood, f.stock = int(math.Ceil(l.Means.Wood.Lack())), int(math.Ceil(l.Means.Stock.Lack()))
	f.hours = l.Means.Hands.Lack()
	f.shut = l.Means.Window.Have == 0
	f.all = max(f.wood, f.stock, min(l.ToGo, int(math.Ceil(f.hours*f.t.RatePerHour))))
	if f.shut {
		f.all = l.ToGo
	}
	if err := f.otherStock(ctx); err != nil {
		return nil, err
	}
	f.budNow()
	f.summer()
	f.buy()
	f.hands()
	f.nextSeason()
	slices.SortStableFunc(f.out, func(a, b WayOut) int { return cmp.Compare(a.EachCents(), b.EachCents()) })
	return f.out, nil
}

// finder gathers ways out.
type finder struct {
	s           *Service
	q           store.Q
	r           *reckoner
	h           store.House
	p           OrderPage
	beliefs     map[string]Belief
	cal         *season.Calendar
	t           technique.Technique
	take        float64
	wood, stock int // grafts that lack it
	hours       float64
	shut        bool
	all         int // grafts that lack something
	out         []WayOut
}

func (f *finder) add(covers int, cents float64, path, format string, args ...any) *WayOut {
	if covers <= 0 {
		return nil
	}
	w := WayOut{Says: fmt.Sprintf(format, args...), Path: path, Covers: covers, Cents: int(math.Round(cents))}
	w.Working = working.Working{Title: "A way out for order " + f.p.Line.Order.Code, Answer: Money(w.Cents), Rule: "ways out",
		Says:   "What it costs against having enough: takes lost are counted at what a tree is worth, a delay at a share of it, work at the wage.",
		Inputs: []working.Input{{Name: "Covers", Value: fmt.Sprintf("%d of the %d grafts that lack something", covers, f.all), Source: working.OwnRecords}}}
	f.out = append(f.out, w)
	return &f.out[len(f.out)-1]
}

func (w *WayOut) from(name, value, source string) *WayOut {
	if w != nil {
		w.Working.Inputs = append(w.Working.Inputs, working.Input{Name: name, Value: value, Source: source})
	}
	return w
}

// worth is what losing so much take costs over so many grafts.
func (f *finder) worth(grafts int, loss float64) float64 {
	return float64(grafts) * math.Max(0, loss) * float64(f.h.TreeCents)
}

// otherStock looks for a stock type that the variety also grows on.
func (f *finder) otherStock(ctx context.Context) error {
	if f.stock == 0 {
		return nil
	}
	types, err := f.q.StockTypes(ctx)
	if err != nil {
		return err
	}
	for _, t := range types {
		if t.ID == f.p.Line.Order.StockTypeID {
			continue
		}
		verdict, _, err := f.q.Compatibility(ctx, f.p.Line.Order.Genus, t.Genus)
		if errors.Is(err, ErrNotFound) || verdict == "known bad" {
			continue
		} else if err != nil {
			return err
		}
		lots, err := f.q.LotsOfType(ctx, t.ID)
		if err != nil {
			return err
		}
		free := 0
		for _, x := range lots {
			free += x.Free
		}
		loss, care := 0.0, ""
		if verdict == "with care" {
			loss, care = careLoss, ", which goes with care"
		}
		n := min(free, f.stock)
		f.add(n, f.worth(n, loss), "/stock", "Put %d on %s %s instead: %d are free%s. Ask the buyer first.", n, t.Genus, t.Name, free, care).
			from("Take lost by the pair", Pct(loss), working.HouseDefault)
	}
	return nil
}

// budNow makes more grafts of the same wood: one bud each, where a stored bud
// can be set now.
func (f *finder) budNow() {
	chip, ok := f.beliefs["chip-bud"]
	if f.wood == 0 || !ok || f.r.standing(chip.Technique, f.cal, f.r.ground(f.p.Line.Order.StockTypeID)).Verdict == technique.Shut {
		return
	}
	left, gain := f.wood, 0
	pieces := 0
	for _, b := range f.p.Bundles {
		for k := 0; k < b.Free && left > 0 && b.BudsPerPiece > 1; k++ {
			pieces, gain, left = pieces+1, gain+b.BudsPerPiece-1, left-(b.BudsPerPiece-1)
		}
	}
	n := min(gain, f.wood)
	f.add(n, f.worth(n+pieces, f.take-chip.Take.Mean()), "/wood", "Chip-bud %d grafts from %d pieces, one bud each, instead of grafting them.", n+pieces, pieces).
		from("Expected take, chip bud", Pct(chip.Take.Mean()), working.OwnRecords).from("Expected take, "+f.t.Name, Pct(f.take), working.OwnRecords)
}

// summer leaves what lacks to be budded with green wood.
func (f *finder) summer() {
	var best Belief
	var w technique.Window
	for _, t := range f.r.ts {
		if t.BudsMax != 1 {
			continue
		}
		for _, x := range t.Windows(f.cal, []string{season.RipeGreen}, technique.InRow) {
			if x.To.After(f.s.Today()) && f.beliefs[t.Key].mean() > best.mean() {
				best, w = f.beliefs[t.Key], x
			}
		}
	}
	if best.Technique.Key == "" {
		return
	}
	n := f.all - f.stock // what has a stem to be budded on
	delay := float64(n) * best.mean() * float64(f.h.TreeCents) * f.h.DelayShare * summerDelay
	f.add(n, delay+f.worth(n, f.take-best.mean()), "/season", "Line the stocks out and %s %d in summer, %s to %s.", best.Technique.Name, n, season.Say(w.From), season.Say(w.To.AddDate(0, 0, -1))).
		from("Half a year's growth lost", fmt.Sprintf("%s a tree", Money(int(float64(f.h.TreeCents)*f.h.DelayShare*summerDelay))), WorthOf(f.h).source(treeOf, delayOf)).
		from("Expected take", Pct(best.mean()), working.OwnRecords)
}

func (f *finder) buy() {
	if f.stock > 0 {
		f.add(f.stock, float64(f.stock*f.h.StemCents), "/stock", "Buy %d stems of %s.", f.stock, f.p.Line.Order.StockType).
			from("A stem", Money(f.h.StemCents), WorthOf(f.h).source(stemOf))
	}
	if f.wood == 0 {
		return
	}
	if can, why := f.cal.WoodOn(season.Resting, f.s.Today()); can {
		if last, ok := f.cal.StockOn(f.s.Today()); ok && last.State == season.Resting {
			f.add(f.wood, float64(f.wood*cutPieceCents), "/wood/collect", "Cut %d pieces more from the mother plants while they rest, until %s.", f.wood, season.Say(last.To.AddDate(0, 0, -1))).
				from("Cutting a piece", Money(cutPieceCents), working.HouseDefault).from("Wood", why, working.OwnRecords)
		}
	}
	f.add(f.wood, float64(f.wood*f.h.PieceCents), "/wood", "Buy wood for %d grafts, with its health papers.", f.wood).from("A piece", Money(f.h.PieceCents), WorthOf(f.h).source(pieceOf))
}

func (f *finder) hands() {
	if f.hours <= 0 {
		return
	}
	n := min(f.all, int(math.Ceil(f.hours*f.t.RatePerHour)))
	f.add(n, f.hours*float64(f.h.WageCents), "/bench/days", "Take on %.0f hours more of somebody who knows %s.", math.Ceil(f.hours), f.t.Name).from("An hour", Money(f.h.WageCents), WorthOf(f.h).source(wageOf))
}

func (f *finder) nextSeason() {
	cents := float64(f.all) * f.take * float64(f.h.TreeCents) * f.h.DelayShare
	f.add(f.all, cents, "/season", "Tell the buyer that the trees of %d grafts come a year later.", f.all).
		from("A year's delay", fmt.Sprintf("%s of a tree worth %s", Pct(f.h.DelayShare), Money(f.h.TreeCents)), WorthOf(f.h).source(treeOf, delayOf))
}

// Money writes cents in the house's money.
func Money(cents int) string { return fmt.Sprintf("%d.%02d", cents/100, cents%100) }
