package nursery

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"unionknot/internal/core/caliper"
	"unionknot/internal/core/union"
	"unionknot/internal/core/wood"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// WoodStates in which wood is cut.
var WoodStates = []string{"resting", "ripe green", "half-ripe"}

// NewPlant is what is asked of a mother plant.
type NewPlant struct {
	Code, Genus, Variety, Place, SeenTrueBy, Health, Licence string
	PlantedYear                                              int
	SeenTrueOn                                               time.Time
}

func (n *NewPlant) check(genera map[string]bool) Problems {
	var ps Problems
	n.Code, n.Variety, n.Place = cleanCode(n.Code), strings.TrimSpace(n.Variety), strings.TrimSpace(n.Place)
	n.SeenTrueBy, n.Health, n.Licence = strings.TrimSpace(n.SeenTrueBy), strings.TrimSpace(n.Health), strings.TrimSpace(n.Licence)
	checkCode(&ps, "code", n.Code)
	if !genera[n.Genus] {
		ps.add("genus", "Choose a genus from the list; %q is not in it.", n.Genus)
	}
	if n.Variety == "" || len(n.Variety) > 60 {
		ps.add("variety", "Name the variety, in up to 60 letters.")
	}
	if n.PlantedYear != 0 && (n.PlantedYear < 1800 || n.PlantedYear > 2200) {
		ps.add("planted_year", "Give the year as four figures, such as 2015, or leave it empty.")
	}
	if (n.SeenTrueBy == "") != n.SeenTrueOn.IsZero() {
		ps.add("seen_true_by", "Seen true needs both who saw it and when; leave both empty if nobody has.")
	}
	return ps
}

// AddPlant keeps a mother plant.
func (s *Service) AddPlant(ctx context.Context, a Actor, n NewPlant) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	genera, err := s.genera(ctx, s.db.Q())
	if err != nil {
		return err
	}
	if ps := n.check(genera); len(ps) > 0 {
		return ps
	}
	err = s.db.Tx(ctx, func(q store.Q) error { return s.addPlant(ctx, q, a, n) })
	return taken(err, "code", "Mother plant", n.Code)
}

func (s *Service) addPlant(ctx context.Context, q store.Q, a Actor, n NewPlant) error {
	v, err := q.VarietyFor(ctx, n.Variety, n.Genus)
	if err != nil {
		return err
	}
	p := store.Plant{Code: n.Code, VarietyID: v, Place: n.Place, SeenTrueBy: n.SeenTrueBy, Health: n.Health, Licence: n.Licence, MadeAt: s.Now()}
	if n.PlantedYear != 0 {
		p.PlantedYear = &n.PlantedYear
	}
	if !n.SeenTrueOn.IsZero() {
		p.SeenTrueOn = &n.SeenTrueOn
	}
	if _, err := q.AddPlant(ctx, p); err != nil {
		return err
	}
	return s.changed(ctx, q, a, "plant", n.Code, "added", nil, n)
}

// What was measured of a bundle: a stick as it was cut from the base of a shoot,
// all of which is usable, or the whole shoot, of which the house's part is.
var Measured = []string{"as its length says", "sticks cut from the base", "whole shoots"}

// longestStick is the longest that a stick cut from the base is taken to be, in
// mm, where nobody says which it is. House default.
const longestStick = 400

// IsWhole reads which of Measured was meant; where nothing was said, by the
// length.
func IsWhole(measured string, lengthMM float64) bool {
	if measured == "" || measured == Measured[0] {
		return lengthMM > longestStick
	}
	return measured == Measured[2] || strings.HasPrefix(measured, "y")
}

// NewBundle is what is asked of wood that was cut.
type NewBundle struct {
	Code, Plant, State, Place            string
	CutOn                                time.Time
	Sticks                               int
	LengthMM, BaseMM, TipMM, InternodeMM float64
	BlindPct                             float64
	BudsPerPiece                         int
	Sealed                               bool     // tips sealed
	Marks                                []string // of ripeness, as seen
	Dropped                              int      // of the sticks: thrown out
	Whole                                bool     // measured as whole shoots, not as sticks cut from their base
}

// Marks are what decides that wood can be cut, by its state.
var Marks = map[string][]string{
	"resting":    {"deep rest", "last season's growth", "buds plump", "leaf buds, not flower", "a second bud beside the first", "bark green under a scratch"},
	"half-ripe":  {"shoot of middling age", "bends, does not snap soft", "bud plump", "leaves off"},
	"ripe green": {"bark turning brown", "down rubs off", "end bud set", "bud plump", "leaves taken off to 10–15 mm of stalk"},
}

// stick is the bundle's stick by the house's way of counting the usable part. A
// stick that was cut from the base of a shoot is all usable.
func (n NewBundle) stick(usable string, faceBuds int) wood.Stick {
	z, ok := wood.ZoneOf(usable)
	if !ok {
		z = wood.Zone{To: 0.5}
	}
	if !n.Whole {
		z = wood.Whole
	}
	return wood.Stick{LengthMM: n.LengthMM, BaseMM: n.BaseMM, TipMM: n.TipMM, InternodeMM: n.InternodeMM,
		Usable: z, BlindShare: n.BlindPct / 100, BudsPerPiece: n.BudsPerPiece, FaceBuds: faceBuds}
}

// faceBuds is how many buds of a piece its face eats, cut the house's way on
// wood of the stick's middle diameter.
func (n NewBundle) faceBuds(f union.Face) int {
	return wood.FaceBuds(f.Times()*(n.BaseMM+n.TipMM)/2, n.InternodeMM, n.BudsPerPiece)
}

// faceWay reads the house's way to cut a slant face.
func faceWay(ctx context.Context, q store.Q) (union.Face, error) {
	w, err := q.HouseWay(ctx, "cut face length")
	if strings.HasPrefix(w.Chosen, "short") {
		return union.Short, err
	}
	return union.Long, err
}

// layWay reads the house's way to lay a thinner scion.
func layWay(w store.HouseWay) union.Lay {
	switch {
	case strings.HasPrefix(w.Chosen, "tilted"):
		return union.Tilted
	case strings.HasPrefix(w.Chosen, "centred"):
		return union.Centred
	}
	return union.Flush
}

func (n *NewBundle) check(today time.Time) Problems {
	var ps Problems
	n.Code, n.Plant, n.Place = cleanCode(n.Code), cleanCode(n.Plant), strings.TrimSpace(n.Place)
	checkCode(&ps, "code", n.Code)
	if n.Plant == "" {
		ps.add("plant", "Say which mother plant it was cut from, by its code.")
	}
	if !contains(WoodStates, n.State) {
		ps.add("state", "Wood is resting, ripe green or half-ripe; %q is none of these.", n.State)
	}
	if n.CutOn.IsZero() || n.CutOn.After(today) {
		ps.add("cut_on", "Give the day it was cut, today or before, such as 2027-01-14.")
	}
	between := func(field, what string, v, low, high float64) {
		if !(v >= low && v <= high) {
			ps.add(field, "%s lies between %g and %g mm; %g does not.", what, low, high, v)
		}
	}
	if n.Sticks < 1 || n.Sticks > 100_000 {
		ps.add("sticks", "Count the sticks: a whole number from 1 to 100,000.")
	}
	between("length_mm", "A stick's length", n.LengthMM, 20, 5000)
	between("base_mm", "A stick's base", n.BaseMM, 1, 80)
	between("tip_mm", "A stick's tip", n.TipMM, 0.5, 80)
	between("internode_mm", "The space between nodes", n.InternodeMM, 2, 500)
	if n.TipMM > n.BaseMM {
		ps.add("tip_mm", "The tip (%g mm) is thicker than the base (%g mm): are they swapped?", n.TipMM, n.BaseMM)
	}
	if n.BlindPct < 0 || n.BlindPct > 95 {
		ps.add("blind_pct", "The share of blind buds is 0 to 95 in a hundred.")
	}
	if n.Dropped < 0 || n.Dropped > n.Sticks {
		ps.add("dropped", "Of %d sticks, %d cannot have been dropped.", n.Sticks, n.Dropped)
	}
	for _, m := range n.Marks {
		if !contains(Marks["resting"], m) && !contains(Marks["ripe green"], m) {
			ps.add("marks", "Choose the marks from the list.")
		}
	}
	if n.BudsPerPiece < 1 || n.BudsPerPiece > 6 {
		ps.add("buds_per_piece", "A piece has 1 bud (for budding) to 6.")
	}
	return ps
}

// AddBundle takes wood in, and counts its pieces by the house's way.
func (s *Service) AddBundle(ctx context.Context, a Actor, n NewBundle) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	if ps := n.check(s.Today()); len(ps) > 0 {
		return ps
	}
	err := s.db.Tx(ctx, func(q store.Q) error { return s.addBundle(ctx, q, a, n) })
	return taken(err, "code", "Bundle", n.Code)
}

func (s *Service) addBundle(ctx context.Context, q store.Q, a Actor, n NewBundle) error {
	plant, err := q.PlantByCode(ctx, n.Plant)
	if errors.Is(err, ErrNotFound) {
		return Problem{"plant", fmt.Sprintf("No mother plant is called %s. Add it first, or look at its label.", n.Plant)}
	} else if err != nil {
		return err
	}
	way, err := q.HouseWay(ctx, "usable part of the shoot")
	if err != nil {
		return err
	}
	face, err := faceWay(ctx, q)
	if err != nil {
		return err
	}
	eaten := n.faceBuds(face)
	y, err := n.stick(way.Chosen, eaten).Of()
	if err != nil {
		return Problem{"length_mm", err.Error()}
	}
	b := store.Bundle{Code: n.Code, PlantID: plant.ID, CutOn: n.CutOn, State: n.State, Sticks: n.Sticks, LengthMM: n.LengthMM, BaseMM: n.BaseMM,
		TipMM: n.TipMM, InternodeMM: n.InternodeMM, BlindShare: n.BlindPct / 100, BudsPerPiece: n.BudsPerPiece, Usable: way.Chosen,
		Pieces: y.Pieces * n.Sticks, Place: n.Place, MadeAt: s.Now(), Sealed: n.Sealed, Marks: strings.Join(n.Marks, " · "), WholeShoot: n.Whole, FaceBuds: eaten}
	id, err := q.AddBundle(ctx, b, a.ID)
	if err != nil {
		return err
	}
	if lost := n.Dropped * y.Pieces; lost > 0 {
		if err := q.MoveWood(ctx, store.Move{Of: id, N: lost, From: store.Free, To: store.Spoiled, Reason: fmt.Sprintf("%d sticks dropped at cutting", n.Dropped), PersonID: a.ID, At: s.Now()}); err != nil {
			return err
		}
	}
	return s.changed(ctx, q, a, "bundle", n.Code, "cut", nil, n)
}

// yieldOf works out what one stick of a bundle gives.
func yieldOf(b store.Bundle) (wood.Stick, wood.Yield, error) {
	st := NewBundle{LengthMM: b.LengthMM, BaseMM: b.BaseMM, TipMM: b.TipMM, InternodeMM: b.InternodeMM,
		BlindPct: b.BlindShare * 100, BudsPerPiece: b.BudsPerPiece, Whole: b.WholeShoot}.stick(b.Usable, b.FaceBuds)
	y, err := st.Of()
	return st, y, err
}

// bundleDiameters works out a bundle's pieces by class.
func (s *Service) bundleDiameters(ctx context.Context, q store.Q, b store.Bundle) (Diameters, wood.Yield, error) {
	d := Diameters{Source: working.Measured}
	_, y, err := yieldOf(b)
	if err != nil {
		return d, y, fmt.Errorf("bundle %s: %w", b.Code, err)
	}
	by := map[caliper.Class]int{}
	for _, mm := range y.PieceMM {
		by[caliper.ClassOf(mm)] += b.Sticks
	}
	d.All = caliper.Sorted(by)
	use, err := q.WoodClassUse(ctx, b.ID)
	d.Free = freeOf(d.All, use, b.Free)
	return d, y, err
}

// BundlePage is what a bundle's page shows.
type BundlePage struct {
	Bundle    store.Bundle
	Stick     wood.Stick
	Yield     wood.Yield
	Diameters Diameters
	Balances  []store.Balance
	Moves     []store.Move
	Days      int // since it was cut
	Kept      Kept
	Looks     []store.Look
}

// Bundle gathers a bundle's page.
func (s *Service) Bundle(ctx context.Context, code string) (BundlePage, error) {
	q := s.db.Q()
	var p BundlePage
	var err error
	if p.Bundle, err = q.BundleByCode(ctx, cleanCode(code)); err != nil {
		return p, err
	}
	if p.Diameters, p.Yield, err = s.bundleDiameters(ctx, q, p.Bundle); err != nil {
		return p, err
	}
	p.Stick, _, _ = yieldOf(p.Bundle)
	p.Days = days(p.Bundle.CutOn, s.Today())
	if p.Balances, err = q.WoodBalances(ctx, p.Bundle.ID); err != nil {
		return p, err
	}
	if p.Looks, err = q.LooksAtBundle(ctx, p.Bundle.ID); err != nil {
		return p, err
	}
	if p.Kept, err = s.keeper(q).keep(ctx, p.Bundle, p.Looks); err != nil {
		return p, err
	}
	p.Moves, err = q.WoodMoves(ctx, p.Bundle.ID, 0)
	return p, err
}

func days(from, to time.Time) int { return int(to.Sub(from).Hours()/24 + 0.5) }

// WoodPage is what the Wood stage shows.
type WoodPage struct {
	Plants  []store.Plant
	Bundles []BundleLine
}

// BundleLine is a bundle with its diameters, for the list.
type BundleLine struct {
	Bundle    store.Bundle
	Diameters Diameters
	Days      int
	Kept      Kept
	Soon      bool
}

// Wood gathers mother plants and bundles; the two lists page on their own.
func (s *Service) Wood(ctx context.Context, plantsAfter string, bundlesAfter int64) (WoodPage, error) {
	q := s.db.Q()
	var p WoodPage
	var err error
	if p.Plants, err = q.Plants(ctx, plantsAfter, pageSize); err != nil {
		return p, err
	}
	bs, err := q.Bundles(ctx, bundlesAfter, pageSize)
	if err != nil {
		return p, err
	}
	k := s.keeper(q)
	if err := k.stay(ctx, bs...); err != nil {
		return p, err
	}
	for _, b := range bs {
		d, _, err := s.bundleDiameters(ctx, q, b)
		if err != nil {
			return p, err
		}
		l := BundleLine{Bundle: b, Diameters: d, Days: days(b.CutOn, s.Today())}
		if b.Free > 0 {
			if l.Kept, err = k.keep(ctx, b, nil); err != nil {
				return p, err
			}
			l.Soon = l.Kept.Soon(s.Now())
		}
		p.Bundles = append(p.Bundles, l)
	}
	return p, nil
}

// PlantPage is what a mother plant's page shows.
type PlantPage struct {
	Plant   store.Plant
	Bundles []store.Bundle
	Photos  []store.Photo
}

// Plant gathers a mother plant's page.
func (s *Service) Plant(ctx context.Context, code string) (PlantPage, error) {
	q := s.db.Q()
	var p PlantPage
	var err error
	if p.Plant, err = q.PlantByCode(ctx, cleanCode(code)); err != nil {
		return p, err
	}
	if p.Photos, err = q.Photos(ctx, p.Plant.ID); err != nil {
		return p, err
	}
	p.Bundles, err = q.BundlesOfPlant(ctx, p.Plant.ID)
	return p, err
}

// ThrowOutWood takes pieces of a bundle out of use, with a reason.
func (s *Service) ThrowOutWood(ctx context.Context, a Actor, code, reason string, n int) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	if n < 1 {
		return Problem{"n", "Say how many pieces: 1 or more."}
	}
	if strings.TrimSpace(reason) == "" {
		return Problem{"reason", "Say why, so that the ledger tells the story."}
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		if again, err := sentBefore(ctx, q, "pieces of "+code); err != nil || again {
			return err
		}
		b, err := q.BundleByCode(ctx, code)
		if err != nil {
			return err
		}
		err = q.MoveWood(ctx, store.Move{Of: b.ID, N: n, From: store.Free, To: store.Spoiled, Reason: strings.TrimSpace(reason), PersonID: a.ID, At: s.Now()})
		return short(err, "n", fmt.Sprintf("Bundle %s has fewer than %d pieces free.", code, n))
	})
}

// short turns a balance that would go below zero into words.
func short(err error, field, says string) error {
	if errors.Is(err, store.ErrShort) {
		return Problem{field, says}
	}
	return err
}
