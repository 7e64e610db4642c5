package outlook

import (
	"math"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/pairing"
	"unionknot/internal/core/season"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/take"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/wood"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// Out is a lot or a bundle that was seen to be unfit: what keeps it out, or what
// it was let through all the same.
type Out struct {
	Code   string
	Wood   bool
	N      int // stems or pieces free
	Gates  []supply.Gate
	Found  string    // what a look at the bundle found
	KeepBy time.Time // of a bundle; of a lot with NotYet, until when it waits
	LetIn  *store.LetIn
}

// KeptPile is a bundle with the day until which it keeps.
type KeptPile struct {
	store.BundlePile
	KeepBy time.Time
}

// Beds are the lots and bundles that can be woven, and those that what was seen
// of them keeps out.
type Beds struct {
	f       *snapshot.Snapshot
	keep    *Keeper
	lots    map[int64][]store.LotPile // by stock type, oldest first
	bundles map[int64][]KeptPile      // by variety, those that keep shortest first
	lotsOut map[int64][]Out
	woodOut map[int64][]Out
	byCode  map[string]KeptPile
	forms   map[string]technique.Ground // of lots by code
	tapers  map[string]float64          // of lots by code, in mm a cm; 0: not known
}

// BedsOf sorts the piles of a snapshot, which needs its places for how wood
// keeps.
func BedsOf(f *snapshot.Snapshot) *Beds {
	b := &Beds{f: f, keep: KeeperOf(f), lots: map[int64][]store.LotPile{}, bundles: map[int64][]KeptPile{},
		lotsOut: map[int64][]Out{}, woodOut: map[int64][]Out{}, byCode: map[string]KeptPile{}, forms: map[string]technique.Ground{},
		tapers: map[string]float64{}}
	for _, l := range f.Lots {
		if l.Free == 0 {
			continue
		}
		b.forms[l.Code] = GroundOf(l.Form)
		if l.Taper != nil {
			b.tapers[l.Code] = *l.Taper
		}
		o := LotOut(l, f.Today)
		if len(o.Gates) > 0 {
			b.lotsOut[l.StockTypeID] = append(b.lotsOut[l.StockTypeID], o)
		}
		if len(o.Gates) == 0 || o.LetIn != nil {
			b.lots[l.StockTypeID] = append(b.lots[l.StockTypeID], l)
		}
	}
	for _, w := range f.Bundles {
		k := KeptPile{w, season.DayOf(b.keep.Keep(w, nil).Keeping.KeepBy)}
		b.byCode[w.Code] = k
		if w.Free == 0 {
			continue
		}
		o := BundleOut(k, f.Today)
		if len(o.Gates) > 0 {
			b.woodOut[w.VarietyID] = append(b.woodOut[w.VarietyID], o)
		}
		if len(o.Gates) == 0 || o.LetIn != nil {
			b.bundles[w.VarietyID] = append(b.bundles[w.VarietyID], k)
		}
	}
	for _, ws := range b.bundles {
		slices.SortStableFunc(ws, func(x, y KeptPile) int { return x.KeepBy.Compare(y.KeepBy) })
	}
	return b
}

// GroundOf says where stock of a form is worked.
func GroundOf(form string) technique.Ground {
	if supply.InGround(form) {
		return technique.InRow
	}
	return technique.OnBench
}

// LotOut gives what keeps a lot out; no gates where nothing does.
func LotOut(l store.LotPile, today time.Time) Out {
	o := Out{Code: l.Code, N: l.Free}
	if l.WaitsUntil != nil {
		o.KeepBy = *l.WaitsUntil
	}
	o.Gates = supply.LotGates(l.Form, l.Ready, o.KeepBy, today)
	o.let(l.LetIn)
	return o
}

// BundleOut gives what keeps a bundle out; no gates where nothing does.
func BundleOut(k KeptPile, today time.Time) Out {
	o := Out{Code: k.Code, Wood: true, N: k.Free, Gates: supply.BundleGates(k.Found, k.KeepBy, today), KeepBy: k.KeepBy}
	if slices.Contains(o.Gates, supply.NotSound) {
		o.Found = k.Found
	}
	o.let(k.LetIn)
	return o
}

// let notes that it was let in, if through all that keeps it out.
func (o *Out) let(in []store.LetIn) {
	if len(in) == 0 || len(o.Gates) == 0 {
		return
	}
	for _, g := range o.Gates {
		if !in[0].Through(string(g)) {
			return
		}
	}
	o.LetIn = &in[0]
}

// GatesText are the gates as they are kept.
func (o Out) GatesText() string {
	out := make([]string, len(o.Gates))
	for i, g := range o.Gates {
		out[i] = string(g)
	}
	return strings.Join(out, ",")
}

// Lots lists the lots of a stock type that can be woven, oldest first.
func (b *Beds) Lots(stockType int64) []store.LotPile { return b.lots[stockType] }

// Bundles lists the bundles of a variety that can be woven, those that keep
// shortest first.
func (b *Beds) Bundles(variety int64) []KeptPile { return b.bundles[variety] }

// Outs lists what keeps an order's lots and bundles out, or kept them until they
// were let in.
func (b *Beds) Outs(o store.Order) []Out {
	return slices.Concat(b.lotsOut[o.StockTypeID], b.woodOut[o.VarietyID])
}

// LetIn gives the letting in of a lot or a bundle, nil where it needed none.
func (b *Beds) LetIn(o store.Order, code string, wood bool) *store.LetIn {
	for _, x := range b.Outs(o) {
		if x.Code == code && x.Wood == wood {
			return x.LetIn
		}
	}
	return nil
}

// Grounds are where the stock of a type stands that can be woven; on the bench
// where there is none.
func (b *Beds) Grounds(stockType int64) []technique.Ground {
	var out []technique.Ground
	for _, l := range b.lots[stockType] {
		if g := GroundOf(l.Form); !slices.Contains(out, g) {
			out = append(out, g)
		}
	}
	if len(out) == 0 {
		return []technique.Ground{technique.OnBench}
	}
	slices.Sort(out)
	return out
}

// States are the states of a variety's wood that can be woven, nil for none.
func (b *Beds) States(variety int64) (states []string) {
	for _, w := range b.bundles[variety] {
		if !slices.Contains(states, w.State) {
			states = append(states, w.State)
		}
	}
	return states
}

// Pricing prices taking from lots and bundles for a genus, in grafts.
type Pricing struct {
	learned take.Learned
	mean    float64 // the best expected take, about which they are weighed
	piece   float64 // a piece's price
	today   time.Time
}

// Pricing readies it for a genus.
func (r *OrderSizer) Pricing(genus string) Pricing {
	p := Pricing{learned: r.Learned[genus], today: r.F.Today}
	rate := 0.0
	for _, b := range r.Beliefs[genus] {
		if m := b.Take.Mean(); m > p.mean {
			p.mean, rate = m, b.Technique.PerHour()
		}
	}
	graft := float64(r.F.House.StemCents+r.F.House.PieceCents) + float64(r.F.House.WageCents)/math.Max(1, rate)
	p.piece = float64(r.F.House.PieceCents) / math.Max(1, graft)
	return p
}

func (p Pricing) bundle(b KeptPile) float64 {
	// To the day: what moves by minutes must not change the weave.
	return supply.BundleCost(
		p.mean,
		supply.Kept{DaysKept: float64(season.Days(b.CutOn, p.today)), LeftDays: float64(season.Days(p.today, b.KeepBy)),
			LifeDays: wood.Life(b.State), Known: p.learned.Effect(take.Bundle, b.Code),
			Part: b.Part},
		p.learned,
		p.piece,
	)
}

// StockPiles are a type's stems that can be woven, as the weave takes them.
func (b *Beds) StockPiles(stockType int64, of string, p Pricing) (out []pairing.Pile) {
	for _, l := range b.lots[stockType] {
		out = append(out, pairing.Pile{ID: l.Code, Of: of, Risk: supply.LotCost(p.mean, p.learned.Effect(take.Lot, l.Code)),
			Classes: LotDiameters(l).Free})
	}
	return out
}

// WoodPiles are a variety's pieces that can be woven, as the weave takes them.
// What keeps shortest goes first where nothing else speaks: a hair a bundle.
func (b *Beds) WoodPiles(variety int64, of string, p Pricing) ([]pairing.Pile, error) {
	var out []pairing.Pile
	for i, w := range b.bundles[variety] {
		d, _, err := BundleDiameters(w.BundlePile)
		if err != nil {
			return nil, err
		}
		out = append(out, pairing.Pile{ID: w.Code, Of: of, Classes: d.Free, Risk: p.bundle(w) + float64(i)*1e-5})
	}
	return out, nil
}
