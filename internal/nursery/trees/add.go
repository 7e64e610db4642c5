package trees

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"unionknot/internal/core/family"
	"unionknot/internal/core/sizing"
	"unionknot/internal/core/supply"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// NewTree is what is asked of a standing tree.
type NewTree struct {
	Code, Genus, Stock, Place, Note string
	Planted, GirthMM                int // 0: not noted
}

func some(n int) *int {
	if n == 0 {
		return nil
	}
	return &n
}

func trim(fields ...*string) {
	for _, f := range fields {
		*f = strings.Join(strings.Fields(*f), " ")
	}
}

func (n *NewTree) check(genera map[string]bool, year int) nursery.Problems {
	var ps nursery.Problems
	n.Code, n.Genus = nursery.CleanCode(n.Code), nursery.CleanGenus(n.Genus)
	trim(&n.Stock, &n.Place, &n.Note)
	checkCode(&ps, n.Code)
	if !genera[n.Genus] {
		ps.Add("genus", "%s", words.ChooseGenus(n.Genus))
	}
	if n.Stock == "" || utf8.RuneCountInString(n.Stock) > 60 {
		ps.Add("stock", "%s", words.TrunkWanted)
	}
	checkNoted(&ps, n.Place, n.Note, n.Planted, n.GirthMM, year)
	return ps
}

// mostCode leaves room for a limb's letter and more behind a tree's code.
const mostCode = 18

func checkCode(ps *nursery.Problems, code string) {
	nursery.CheckCode(ps, "code", code)
	if len(code) > mostCode {
		ps.Add("code", "%s", words.TreeCodeShort(mostCode))
	}
}

func checkNoted(ps *nursery.Problems, place, note string, planted, girth, year int) {
	if utf8.RuneCountInString(place) > 80 {
		ps.Add("place", "%s", words.PlaceShort)
	}
	if utf8.RuneCountInString(note) > 600 {
		ps.Add("note", "%s", words.NoteShort)
	}
	if planted != 0 && (planted < 1700 || planted > year) {
		ps.Add("planted", "%s", words.PlantedYear(year))
	}
	if girth != 0 && (girth < 10 || girth > 9000) {
		ps.Add("girth", "%s", words.GirthBetween)
	}
}

// AddTree keeps a standing tree.
func (s *Stage) AddTree(ctx context.Context, a nursery.Actor, n NewTree) error {
	check := func(genera map[string]bool) nursery.Problems { return n.check(genera, s.Today().Year()) }
	return s.AddTyped(ctx, a, "Tree", n.Code, check, func(ctx context.Context, q store.Q) error {
		_, err := q.AddTree(ctx, store.Tree{Code: n.Code, Kind: Standing, Genus: n.Genus, Stock: n.Stock, Place: n.Place,
			Planted: some(n.Planted),
			GirthMM: some(n.GirthMM), Trees: 1, Wanted: 1, Note: n.Note, PersonID: a.ID, MadeAt: s.Now()}, 0)
		if err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "tree", n.Code, "noted", nil, n)
	})
}

// NewSet is what is asked of trees alike: of several varieties, each on a limb of its own; or on an
// interstem, the middle piece first.
type NewSet struct {
	Code, Kind, Lot, Place, Buyer string
	Wanted                        int
	Begin                         int // trees to begin; 0: as many as the house's chance asks for
	Genus                         string
	Varieties                     []string // in the order of the limbs; of an interstem the middle piece and the top
	TopGenus                      string   // of an interstem's top; "" as the middle's
	DueOn                         time.Time
	Sure                          bool // a pair that is known to fail is meant
}

// mostVarieties is how many varieties a tree can bear that is made for sale. House default.
const mostVarieties = 6

func (n *NewSet) check(genera map[string]bool, today time.Time) nursery.Problems {
	var ps nursery.Problems
	n.Code, n.Lot, n.Genus, n.TopGenus = nursery.CleanCode(n.Code), nursery.CleanCode(n.Lot), nursery.CleanGenus(n.Genus),
		nursery.CleanGenus(n.TopGenus)
	trim(&n.Place, &n.Buyer)
	checkCode(&ps, n.Code)
	checkNoted(&ps, n.Place, "", 0, 0, 0)
	var vs []string
	for _, v := range n.Varieties {
		if trim(&v); v != "" {
			vs = append(vs, v)
		}
	}
	n.Varieties = vs
	switch {
	case n.Kind == Interstem && len(vs) != 2:
		ps.Add("varieties", "%s", words.InterstemTwo)
	case len(vs) < 2 || len(vs) > mostVarieties:
		ps.Add("varieties", "%s", words.FamilyOf(mostVarieties))
	}
	for i, v := range vs {
		if utf8.RuneCountInString(v) > 60 || slices.Contains(vs[:i], v) {
			ps.Add("varieties", "%s", words.VarietyTwice(v))
		}
	}
	if n.TopGenus == "" || n.Kind != Interstem {
		n.TopGenus = n.Genus
	}
	for _, g := range []string{n.Genus, n.TopGenus} {
		if !genera[g] {
			ps.Add("genus", "%s", words.ChooseGenus(g))
		}
	}
	if n.Wanted < 1 || n.Wanted > 100_000 || n.Begin < 0 || n.Begin > 100_000 {
		ps.Add("wanted", "%s", words.TreesCounted)
	}
	if n.DueOn.IsZero() || n.DueOn.Before(today) {
		ps.Add("due_on", "%s", words.DueWanted)
	}
	return ps
}

// pairProblem says that a variety is known not to live on what it is to be grafted on; nil where it
// may.
func pairProblem(f *snapshot.Snapshot, scion, stock string, sure bool) error {
	p, known := f.Pair(scion, stock)
	if sure || !known || p.Verdict != outlook.KnownBad {
		return nil
	}
	// An interstem that both get on with is the way out, where the house knows one.
	var through []string
	for _, g := range f.Genera {
		top, a := f.Pair(scion, g.Key)
		low, b := f.Pair(g.Key, stock)
		if g.Key != scion && g.Key != stock && a && b && top.Verdict != outlook.KnownBad && low.Verdict != outlook.KnownBad {
			through = append(through, g.Key)
		}
	}
	return nursery.Problem{Field: "sure", Says: words.DoesNotLiveOn(scion, stock, through)}
}

// take is what is believed of a graft of a genus on a stock, by the way that it would be made, and
// how the season stands for it.
func take(r *outlook.OrderSizer, genus, stockGenus string, stockType int64, trees int, chance float64) (outlook.Need, error) {
	n, _, err := r.Need(store.Order{Genus: genus, StockGenus: stockGenus, StockTypeID: stockType, Trees: max(1, trees)}, chance)
	if err != nil {
		return n, fmt.Errorf("what is expected of %s on %s: %w", genus, stockGenus, err)
	}
	return n, nil
}

// Begin is how many trees are begun so that those wanted are good, with the house's chance.
func (s *Stage) begin(ctx context.Context, f *snapshot.Snapshot, n NewSet, l store.Lot) (int, error) {
	r, err := s.Reckon.Sizer(ctx, f, n.Genus, n.TopGenus)
	if err != nil {
		return 0, err
	}
	var ls []family.Limb
	stock := l.Genus
	for i := range n.Varieties {
		genus := n.Genus
		if n.Kind == Interstem && i == 1 {
			genus, stock = n.TopGenus, n.Genus
		}
		need, err := take(r, genus, stock, l.StockTypeID, n.Wanted, f.House.Chance)
		if err != nil {
			return 0, err
		}
		if need.By.Technique.Key == "" {
			return 0, nursery.Problem{Field: "varieties", Says: words.NoWayOn(genus, stock)}
		}
		ls = append(ls, family.Limb{Grafts: 1, Take: need.By.Take})
	}
	begin, err := family.Start(n.Wanted, f.House.Chance, ls, r.Fate.Both)
	if errors.Is(err, sizing.ErrNever) {
		return 0, nursery.Problem{Field: "wanted", Says: words.NeverSo}
	}
	return begin, err
}

// AddSet keeps trees alike: their stems leave their lot for the first limb, the others get a place
// on each; each limb has an order of its own. It says how many trees were begun.
func (s *Stage) AddSet(ctx context.Context, a nursery.Actor, n NewSet) (begun int, err error) {
	check := func(genera map[string]bool) nursery.Problems { return n.check(genera, s.Today()) }
	err = s.AddTyped(ctx, a, "Tree", n.Code, check, func(ctx context.Context, q store.Q) error {
		if again, err := nursery.SentBefore(ctx, q, "trees "+n.Code); err != nil || again {
			return err
		}
		l, err := q.LotByCode(ctx, n.Lot)
		if errors.Is(err, nursery.ErrNotFound) {
			return nursery.Problem{Field: "lot", Says: words.NoSuchLot(n.Lot)}
		} else if err != nil {
			return err
		}
		if err := q.LockLots(ctx, []int64{l.ID}); err != nil {
			return err
		}
		if l, err = q.LotByCode(ctx, n.Lot); err != nil {
			return err
		}
		f, err := s.FactsIn(ctx, q, snapshot.Orders, snapshot.Piles, snapshot.Tags, snapshot.Rest)
		if err != nil {
			return err
		}
		on := l.Genus
		for i := range n.Varieties {
			scion := n.Genus
			if n.Kind == Interstem && i == 1 {
				scion, on = n.TopGenus, n.Genus
			}
			if err := pairProblem(f, scion, on, n.Sure); err != nil {
				return err
			}
		}
		if begun = n.Begin; begun == 0 {
			if begun, err = s.begin(ctx, f, n, l); err != nil {
				return err
			}
		}
		switch {
		case begun < n.Wanted:
			return nursery.Problem{Field: "begin", Says: words.BeginAsMany(n.Wanted)}
		case begun > l.Free:
			return nursery.Problem{Field: "begin", Says: words.StemsForTrees(l.Code, l.Free, begun)}
		}
		return s.addSet(ctx, q, a, n, l, begun)
	})
	return begun, err
}

func (s *Stage) addSet(ctx context.Context, q store.Q, a nursery.Actor, n NewSet, l store.Lot, begun int) error {
	if err := q.MoveStock(ctx, store.Move{Of: l.ID, N: begun, From: store.Free, To: store.Outside, Reason: "by hand", Note: n.Code,
		PersonID: a.ID, At: s.Now()}); err != nil {
		return nursery.Short(err, "begin", words.StemsForTrees(l.Code, l.Free, begun))
	}
	id, err := q.AddTree(ctx, store.Tree{Code: n.Code, Kind: n.Kind, Genus: l.Genus, Stock: l.StockType, Place: n.Place, Trees: begun,
		Wanted: n.Wanted,
		Buyer:  n.Buyer, PersonID: a.ID, MadeAt: s.Now()}, l.ID)
	if err != nil {
		return err
	}
	cs := []nursery.Change{{What: "tree", Ref: n.Code, Doing: "begun", After: n}}
	for i, variety := range n.Varieties {
		genus, under, form := n.Genus, l.Genus, supply.Limb
		switch {
		case i == 0:
			form = l.Form
		case n.Kind == Interstem:
			genus, under = n.TopGenus, n.Genus
			fallthrough
		default:
			if !supply.InGround(l.Form) {
				form = l.Form // worked on the bench with the first
			}
		}
		lot := store.Lot{Supplier: l.Supplier, Form: form, Place: n.Place, Received: begun, Health: l.Health}
		if i == 0 {
			lot.CameFrom = &l.ID
		}
		if i == 0 || n.Kind == Family {
			lot.GradeLow, lot.GradeHigh = l.GradeLow, l.GradeHigh
		}
		m, err := s.addLimb(ctx, q, a, store.Tree{ID: id, Code: n.Code}, letterOf(i), under, lot, spread(i, len(n.Varieties), n.Kind))
		if err != nil {
			return err
		}
		if i == 0 || n.Kind == Family { // a variety beside the first stands on wood as thick
			if err := q.CopyReadings(ctx, l.ID, m.LotID); err != nil {
				return err
			}
		}
		if err := s.want(ctx, q, m, variety, genus, n.Wanted, n.DueOn, n.Buyer); err != nil {
			return err
		}
		cs = append(cs, nursery.Change{What: "order", Ref: m.Lot, Doing: "taken", After: variety})
	}
	return s.ChangedAll(ctx, q, a, cs...)
}

func letterOf(i int) string { return string(rune('A' + i)) }

// shape is where a limb is drawn.
type shape struct{ fromY, tipX, tipY int }

// spread draws the limbs of a tree that is made for sale: side by side, or an interstem's pieces
// one above the other.
func spread(i, of int, kind string) shape {
	if kind == Interstem {
		return []shape{{120, 500, 470}, {470, 500, 900}}[i]
	}
	x := 500
	if of > 1 {
		x = 150 + 700*i/(of-1)
	}
	return shape{300 + 40*(i%2), x, 880 - 60*(i%2)}
}

// addLimb keeps a limb with a lot and a stock type of its own.
func (s *Stage) addLimb(ctx context.Context, q store.Q, a nursery.Actor, t store.Tree, letter, genus string, lot store.Lot,
	at shape) (store.Limb, error) {
	m := store.Limb{TreeID: t.ID, Letter: letter, Lot: t.Code + "-" + letter, FromY: at.fromY, TipX: at.tipX, TipY: at.tipY,
		MadeAt: s.Now()}
	var err error
	if m.StockTypeID, err = q.StockTypeFor(ctx, t.Code+" "+letter, genus); err != nil {
		return m, err
	}
	lot.Code, lot.StockTypeID, lot.ReceivedOn, lot.MadeAt = m.Lot, m.StockTypeID, s.Today(), s.Now()
	if m.LotID, err = q.AddLot(ctx, lot, a.ID); err != nil {
		return m, nursery.Taken(err, "code", "Lot", m.Lot)
	}
	m.ID, err = q.AddLimb(ctx, m)
	return m, err
}

// want takes an order for a limb.
func (s *Stage) want(ctx context.Context, q store.Q, m store.Limb, variety, genus string, trees int, due time.Time, buyer string) error {
	v, err := q.VarietyFor(ctx, variety, genus)
	if err != nil {
		return err
	}
	code := m.Lot
	for n := 2; ; n++ {
		if _, err := q.OrderByCode(ctx, code); errors.Is(err, nursery.ErrNotFound) {
			break
		} else if err != nil {
			return err
		}
		code = fmt.Sprintf("%s.%d", m.Lot, n)
	}
	return q.AddOrders(ctx, []store.Order{{Code: code, VarietyID: v, StockTypeID: m.StockTypeID, Trees: trees, DueOn: due, Priority: 2,
		Buyer:  buyer,
		MadeAt: s.Now()}})
}
