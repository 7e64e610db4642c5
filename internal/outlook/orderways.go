package outlook

import (
	"fmt"
	"slices"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/pairing"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/technique"
	"unionknot/internal/store"
)

// WayChoice is how a planner takes a technique.
type WayChoice int

// A technique is taken as the season has it, against it, or not at all.
const (
	AsOpen WayChoice = iota
	AgainstSeason
	LeftOut
)

// Ways are the techniques that can join an order's stock and wood today, where
// the stock stands; one that serves on the bench and in the row stands once for
// each. choose may be nil: as the season has them.
func (r *OrderSizer) Ways(o store.Order, choose func(t technique.Technique) WayChoice) []pairing.Way {
	beliefs, cal := r.Know(o.Genus, o.StockGenus)
	grounds := r.Beds.Grounds(o.StockTypeID)
	key := fmt.Sprint(o.Genus, " on ", o.StockGenus, grounds, o.StockTypeID)
	if choose == nil {
		if ws, ok := r.ways[key]; ok {
			return ws
		}
	}
	var out []pairing.Way
	for _, t := range r.F.Techniques {
		for _, ground := range grounds {
			against := false
			if choose != nil {
				switch choose(t) {
				case LeftOut:
					continue
				case AgainstSeason:
					against = true
				}
			}
			if !against && r.Standing(t, cal, ground).Verdict == technique.Shut {
				continue
			}
			out = append(out, pairing.Way{
				Key:    t.Key,
				Pieces: t.Pieces(),
				Joins:  t.Joins,
				Misfit: t.Misfit,
				Cost:   supply.TakingOf(t, beliefs[t.Key].Expected, r.Learned[o.Genus]).Cost,
				Unfit: func(code string) technique.Misfit {
					w := r.Beds.byCode[code]
					m := t.MisfitOfWood(w.State, w.BudsPerPiece)
					if m.Limit == "" && !against && r.standingWith(t, cal, ground, w.State).Verdict == technique.Shut {
						m = technique.Misfit{Limit: technique.WoodOutOfSeason, State: w.State}
					}
					return m
				},
				UnfitLot: func(code string) technique.Misfit {
					if r.Beds.forms[code] != ground {
						return technique.Misfit{Limit: technique.StockStands}
					}
					return technique.Misfit{}
				},
			})
		}
	}
	out = r.higher(o, out)
	if choose == nil {
		r.ways[key] = out
	}
	return out
}

// higherCosts is what cutting a stem higher costs, in grafts: a worse place to
// stand, and stock wood above the soil. House default.
const higherCosts = 0.02

// mostPairingWays is how many ways an order may have: they are told apart by bits.
const mostPairingWays = 60

// higher adds to an order's ways those that cut stems higher, of lots whose taper is
// known: a stem that does not take the wood at the usual cut may above it.
func (r *OrderSizer) higher(o store.Order, ways []pairing.Way) []pairing.Way {
	var tapers []float64
	for _, l := range r.Beds.Lots(o.StockTypeID) {
		if l.Taper != nil && !slices.Contains(tapers, *l.Taper) {
			tapers = append(tapers, *l.Taper)
		}
	}
	out := ways
	for _, per := range tapers {
		for _, w := range ways {
			t, ok := r.F.Technique(w.Key)
			if !ok || len(out) >= mostPairingWays {
				continue
			}
			cost, unfit := w.Cost, w.UnfitLot
			out = append(out, pairing.Way{
				Key:    w.Key,
				Pieces: w.Pieces,
				Joins:  func(s, c caliper.Class) bool { _, ok := t.Higher(s, c, per); return ok },
				Misfit: w.Misfit,
				Cost: func(s, c caliper.Class) float64 {
					cm, _ := t.Higher(s, c, per)
					return cost(s.Higher(per, float64(cm)), c) + higherCosts
				},
				Unfit: w.Unfit,
				UnfitLot: func(code string) technique.Misfit {
					if m := unfit(code); m.Limit != "" {
						return m
					}
					if r.Beds.tapers[code] != per {
						return technique.Misfit{Limit: technique.StockStands}
					}
					return technique.Misfit{}
				},
			})
		}
	}
	return out
}

// Higher gives by how many cm a thread's stems are cut higher; 0 at the usual cut.
func (r *OrderSizer) Higher(t pairing.Thread) int {
	x, ok := r.F.Technique(t.Way)
	if !ok {
		return 0
	}
	cm, _ := x.Higher(t.Stock, t.Scion, r.Beds.tapers[t.Lot])
	return cm
}

// StandingFor says how a technique stands today for an order's stock: the best
// of where it stands, with whatever wood is in season.
func (r *OrderSizer) StandingFor(t technique.Technique, o store.Order) technique.Standing {
	_, cal := r.Know(o.Genus, o.StockGenus)
	var best technique.Standing
	for i, ground := range r.Beds.Grounds(o.StockTypeID) {
		if s := r.Standing(t, cal, ground); i == 0 || s.Better(best) {
			best = s
		}
	}
	return best
}

// Weavable is what of an order's stock and wood could be woven now.
type Weavable struct {
	Stems, Pieces       int // let in, and fitting something by a technique that is open
	StemsFree, WoodFree int // whatever was seen of them, and whatever fits
	Unmeasured          int // stems let in of lots with neither reading nor grade: Match cannot use them
}

// Weavable counts them. Where there is only one of the two, or nothing is open,
// all that is let in counts; of an order that is budded in a summer still to
// come, the stems of a thickness that is budded.
func (r *OrderSizer) Weavable(o store.Order, n Need) (Weavable, error) {
	var w Weavable
	for _, l := range r.F.LotsOf(o.StockTypeID) {
		w.StemsFree += l.Free
	}
	for _, b := range r.F.BundlesOf(o.VarietyID) {
		w.WoodFree += b.Free
	}
	for _, l := range r.Beds.Lots(o.StockTypeID) {
		if len(LotDiameters(l).All) == 0 {
			w.Unmeasured += l.Free
		}
	}
	ways := r.Ways(o, nil)
	if n.Summer && n.Standing.Verdict == technique.Shut {
		ways = []pairing.Way{{
			Joins:    n.By.Technique.Joins,
			Misfit:   n.By.Technique.Misfit,
			Unfit:    func(string) technique.Misfit { return technique.Misfit{Limit: technique.WoodOutOfSeason} },
			UnfitLot: func(string) technique.Misfit { return technique.Misfit{} },
		}}
		w.Stems, w.Pieces = r.budded(o, ways), 0
		return w, nil
	}
	stock := r.Beds.StockPiles(o.StockTypeID, "", Pricing{})
	pieces, err := r.Beds.WoodPiles(o.VarietyID, "", Pricing{today: r.F.Today})
	if err != nil {
		return w, err
	}
	for _, p := range stock {
		for _, c := range p.Classes {
			if fitsAny(ways, p.ID, c.Class, pieces) {
				w.Stems += c.N
			}
		}
	}
	for _, p := range pieces {
		for _, c := range p.Classes {
			if slices.ContainsFunc(ways, func(x pairing.Way) bool {
				return x.Unfit(p.ID).Limit == "" && (len(stock) == 0 || slices.ContainsFunc(stock, func(s pairing.Pile) bool {
					return x.UnfitLot(s.ID).Limit == "" && slices.ContainsFunc(s.Classes,
						func(k caliper.Count) bool { return x.Joins(k.Class, c.Class) })
				}))
			}) || len(ways) == 0 {
				w.Pieces += c.N
			}
		}
	}
	return w, nil
}

// budded counts an order's stems that a bud of the coming summer takes, and those
// that are to be measured until then.
func (r *OrderSizer) budded(o store.Order, ways []pairing.Way) (n int) {
	for _, l := range r.Beds.Lots(o.StockTypeID) {
		if len(LotDiameters(l).All) == 0 {
			n += l.Free
		}
	}
	for _, p := range r.Beds.StockPiles(o.StockTypeID, "", Pricing{}) {
		for _, c := range p.Classes {
			if fitsAny(ways, p.ID, c.Class, nil) {
				n += c.N
			}
		}
	}
	return n
}

// fitsAny says whether stems of a lot's class go with any of the pieces, or with
// any at all where there are none.
func fitsAny(ways []pairing.Way, lot string, c caliper.Class, pieces []pairing.Pile) bool {
	if len(ways) == 0 {
		return true
	}
	for _, x := range ways {
		if x.UnfitLot(lot).Limit != "" {
			continue
		}
		if len(pieces) == 0 {
			if m := x.Misfit(c, c).Limit; m != technique.StockThin && m != technique.StockThick {
				return true
			}
		}
		for _, p := range pieces {
			if x.Unfit(p.ID).Limit == "" && slices.ContainsFunc(p.Classes, func(k caliper.Count) bool { return x.Joins(c, k.Class) }) {
				return true
			}
		}
	}
	return false
}
