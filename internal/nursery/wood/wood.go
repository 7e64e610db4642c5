package wood

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"unionknot/internal/core/season"
	"unionknot/internal/core/tally"
	"unionknot/internal/core/wood"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// NewPlant is what is asked of a mother plant.
type NewPlant struct {
	Code, Genus, Variety, Place, SeenTrueBy, Health, Licence string
	PlantedYear                                              int
	SeenTrueOn                                               time.Time
}

func (n *NewPlant) check(genera map[string]bool) nursery.Problems {
	var ps nursery.Problems
	n.Genus = nursery.CleanGenus(n.Genus)
	n.Code, n.Variety, n.Place = nursery.CleanCode(n.Code), strings.TrimSpace(n.Variety), strings.TrimSpace(n.Place)
	n.SeenTrueBy, n.Health, n.Licence = strings.TrimSpace(n.SeenTrueBy), strings.TrimSpace(n.Health), strings.TrimSpace(n.Licence)
	nursery.CheckCode(&ps, "code", n.Code)
	if !genera[n.Genus] {
		ps.Add("genus", words.ChooseAGenusFromThe, n.Genus)
	}
	if n.Variety == "" || utf8.RuneCountInString(n.Variety) > 60 {
		ps.Add("variety", words.VarietyWanted)
	}
	if n.PlantedYear != 0 && (n.PlantedYear < 1800 || n.PlantedYear > 2200) {
		ps.Add("planted_year", words.GiveTheYearAsFour)
	}
	if (n.SeenTrueBy == "") != n.SeenTrueOn.IsZero() {
		ps.Add("seen_true_by", words.SeenNeedsBoth)
	}
	return ps
}

// AddPlant keeps a mother plant.
func (s *Stage) AddPlant(ctx context.Context, a nursery.Actor, n NewPlant) error {
	return s.AddTyped(ctx, a, "Mother plant", n.Code, n.check,
		func(ctx context.Context, q store.Q) error { return s.addPlants(ctx, q, a, []NewPlant{n}) })
}

func (s *Stage) addPlants(ctx context.Context, q store.Q, a nursery.Actor, ns []NewPlant) error {
	names, ps, cs := nursery.NamesIn(q), make([]store.Plant, len(ns)), make([]nursery.Change, len(ns))
	for i, n := range ns {
		v, err := names.Variety(ctx, n.Variety, n.Genus)
		if err != nil {
			return err
		}
		ps[i] = store.Plant{Code: n.Code, VarietyID: v, Place: n.Place, SeenTrueBy: n.SeenTrueBy, Health: n.Health, Licence: n.Licence,
			MadeAt: s.Now()}
		if n.PlantedYear != 0 {
			ps[i].PlantedYear = &n.PlantedYear
		}
		if !n.SeenTrueOn.IsZero() {
			ps[i].SeenTrueOn = &n.SeenTrueOn
		}
		cs[i] = nursery.Change{What: "plant", Ref: n.Code, Doing: "added", After: n}
	}
	if err := q.AddPlants(ctx, ps); err != nil {
		return err
	}
	return s.ChangedAll(ctx, q, a, cs...)
}

// NewBundle is what is asked of wood that was cut.
type NewBundle struct {
	Code, Plant, State, Place            string
	CutOn                                time.Time
	Sticks                               int
	LengthMM, BaseMM, TipMM, InternodeMM float64
	BlindPct                             float64
	BudsPerPiece                         int
	Sealed                               bool      // tips sealed
	Marks                                []string  // of ripeness, as seen
	Dropped                              int       // of the sticks: thrown out
	Whole                                bool      // measured as whole shoots, not as sticks cut from their base
	CutLate                              time.Time // the last day it can have been cut; zero: CutOn is known
	Part                                 string    // of the shoot: base, middle, outer, or ""
	BoughtFrom, Variety, Genus           string    // where it was bought, for want of a plant
	Sure                                 bool      // cut in that state on that day, although the season says otherwise
}

// Parts of the shoot that wood can be from.
var Parts = wood.Parts

// Marks are what decides that wood can be cut, by its state.
var Marks = wood.Marks

// cut is what was measured of it.
func (n NewBundle) cut() outlook.Cut {
	return outlook.Cut{
		LengthMM:     n.LengthMM,
		BaseMM:       n.BaseMM,
		TipMM:        n.TipMM,
		InternodeMM:  n.InternodeMM,
		BlindPct:     n.BlindPct,
		BudsPerPiece: n.BudsPerPiece,
		Whole:        n.Whole,
	}
}

func (n *NewBundle) check(today time.Time) nursery.Problems {
	var ps nursery.Problems
	n.Code, n.Plant, n.Place = nursery.CleanCode(n.Code), nursery.CleanCode(n.Plant), strings.TrimSpace(n.Place)
	nursery.CheckCode(&ps, "code", n.Code)
	n.BoughtFrom, n.Variety = strings.Join(strings.Fields(n.BoughtFrom), " "), strings.TrimSpace(n.Variety)
	if n.Plant == "" && (n.BoughtFrom == "" || n.Variety == "" || n.Genus == "") {
		ps.Add("plant", "%s", words.BoughtNeeds)
	}
	if !n.CutLate.IsZero() && (n.CutLate.Before(n.CutOn) || n.CutLate.After(today)) {
		ps.Add("cut_late", "%s", words.CutLateSays)
	}
	if !slices.Contains(Parts, n.Part) {
		ps.Add("part", "%s", words.PartSays)
	}
	if !slices.Contains(outlook.WoodStates, n.State) {
		ps.Add("state", words.WoodIsRestingRipeGreen, n.State)
	}
	if n.CutOn.IsZero() || n.CutOn.After(today) {
		ps.Add("cut_on", words.GiveTheDayItWasCut)
	}
	between := func(field, what string, v, low, high float64) {
		if !(v >= low && v <= high) {
			ps.Add(field, words.XLiesBetweenNAnd, what, low, high, v)
		}
	}
	if n.Sticks < 1 || n.Sticks > 100_000 {
		ps.Add("sticks", words.CountTheSticksAWhole)
	}
	between("length_mm", words.ASticksLength, n.LengthMM, 20, 5000)
	between("base_mm", words.ASticksBase, n.BaseMM, 1, 80)
	between("tip_mm", words.ASticksTip, n.TipMM, 0.5, 80)
	between("internode_mm", words.TheSpaceBetweenNodes, n.InternodeMM, 2, 500)
	if n.TipMM > n.BaseMM {
		ps.Add("tip_mm", words.TheTipNMmIs, n.TipMM, n.BaseMM)
	}
	if n.BlindPct < 0 || n.BlindPct > 95 {
		ps.Add("blind_pct", words.TheShareOfBlindBuds)
	}
	if n.Dropped < 0 || n.Dropped > n.Sticks {
		ps.Add("dropped", words.OfNSticksNCannot, n.Sticks, n.Dropped)
	}
	for _, m := range n.Marks {
		if !slices.Contains(Marks["resting"], m) && !slices.Contains(Marks["ripe green"], m) {
			ps.Add("marks", words.ChooseTheMarksFromThe)
		}
	}
	if n.BudsPerPiece < 1 || n.BudsPerPiece > 6 {
		ps.Add("buds_per_piece", words.APieceHas1Bud)
	}
	return ps
}

// AddBundle takes wood in, and counts its pieces by the house's way.
func (s *Stage) AddBundle(ctx context.Context, a nursery.Actor, n NewBundle) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	if ps := n.check(s.Today()); len(ps) > 0 {
		return ps
	}
	if err := s.question(ctx, n); err != nil {
		return err
	}
	err := s.DB.Tx(ctx, func(q store.Q) error { return s.addBundle(ctx, q, a, n) })
	return nursery.Taken(err, "code", "Bundle", n.Code)
}

func (s *Stage) addBundle(ctx context.Context, q store.Q, a nursery.Actor, n NewBundle) error {
	plant, err := s.source(ctx, q, a, &n)
	if errors.Is(err, nursery.ErrNotFound) {
		return nursery.Problem{
			Field: "plant",
			Says:  fmt.Sprintf(words.NoMotherPlantIsCalledX, n.Plant),
		}
	} else if err != nil {
		return err
	}
	way, err := q.HouseWay(ctx, outlook.WayUsable)
	if err != nil {
		return err
	}
	face, err := q.HouseWay(ctx, outlook.WayFace)
	if err != nil {
		return err
	}
	eaten := n.cut().FaceBuds(outlook.FaceWay(face))
	y, err := n.cut().Stick(way.Chosen, eaten).Of()
	if err != nil {
		return nursery.Problem{Field: "length_mm", Says: err.Error()}
	}
	b := store.Bundle{
		Code:         n.Code,
		PlantID:      plant.ID,
		CutOn:        n.CutOn,
		State:        n.State,
		Sticks:       n.Sticks,
		LengthMM:     n.LengthMM,
		BaseMM:       n.BaseMM,
		TipMM:        n.TipMM,
		InternodeMM:  n.InternodeMM,
		BlindShare:   n.BlindPct / 100,
		BudsPerPiece: n.BudsPerPiece,
		Usable:       way.Chosen,
		Pieces:       y.Pieces * n.Sticks,
		Place:        n.Place,
		MadeAt:       s.Now(),
		Sealed:       n.Sealed,
		Marks:        strings.Join(n.Marks, " · "),
		WholeShoot:   n.Whole,
		FaceBuds:     eaten,
		Part:         n.Part,
	}
	if !n.CutLate.IsZero() {
		b.CutLate = &n.CutLate
	}
	label, err := q.WoodLabel(ctx, n.Code)
	switch {
	case errors.Is(err, nursery.ErrNotFound):
	case err != nil:
		return err
	case label.PlantID != plant.ID:
		return nursery.Problem{Field: "code", Says: words.LabelOfAnother(n.Code, label.Plant, label.Variety)}
	case label.DroppedAt != nil:
		return nursery.Problem{Field: "code", Says: words.LabelDropped(n.Code)}
	}
	id, err := q.AddBundle(ctx, b, a.ID)
	if err != nil {
		return err
	}
	if label.Waits() && label.Code != "" {
		if _, err := q.EndWoodLabel(ctx, n.Code, id, s.Now()); err != nil {
			return err
		}
	}
	if lost := n.Dropped * y.Pieces; lost > 0 {
		if err := q.MoveWood(ctx, store.Move{Of: id, N: lost, From: store.Free, To: store.Spoiled, Reason: string(tally.DroppedAtCutting),
			Note: fmt.Sprint(n.Dropped), PersonID: a.ID, At: s.Now()}); err != nil {
			return err
		}
	}
	return s.Changed(ctx, q, a, "bundle", n.Code, "cut", nil, n)
}

// BundlePage is what a bundle's page shows.
type BundlePage struct {
	Bundle    store.Bundle
	Stick     wood.Stick
	Yield     wood.Yield
	Diameters outlook.Diameters
	Balances  []store.Balance
	Moves     []store.Move
	Days      int // since it was cut
	Kept      outlook.Kept
	Looks     []store.Look
	Out       outlook.Out // what keeps it out of the weave, if anything does
}

// Bundle gathers a bundle's page.
func (s *Stage) Bundle(ctx context.Context, code string) (BundlePage, error) {
	q := s.DB.Q()
	var p BundlePage
	b, err := q.BundlePile(ctx, nursery.CleanCode(code))
	if err != nil {
		return p, err
	}
	f, err := s.Facts(ctx, snapshot.Places)
	if err != nil {
		return p, err
	}
	p.Bundle = b.Bundle
	if p.Diameters, p.Yield, err = outlook.BundleDiameters(b); err != nil {
		return p, err
	}
	p.Stick, _, _ = outlook.YieldOf(p.Bundle)
	p.Days = season.Days(p.Bundle.CutOn, f.Today)
	if p.Balances, err = q.WoodBalances(ctx, p.Bundle.ID); err != nil {
		return p, err
	}
	if p.Looks, err = q.LooksAtBundle(ctx, p.Bundle.ID); err != nil {
		return p, err
	}
	p.Kept = outlook.KeeperOf(f).Keep(b, p.Looks)
	p.Out = outlook.BundleOut(outlook.KeptPile{BundlePile: b, KeepBy: season.DayOf(p.Kept.Keeping.KeepBy)}, f.Today)
	p.Moves, err = q.WoodMoves(ctx, p.Bundle.ID, 0)
	return p, err
}

// WoodPage is what the Wood stage shows.
type WoodPage struct {
	Plants  []store.Plant
	Bundles []outlook.BundleLine
}

// Wood gathers mother plants and bundles; the two lists page on their own.
func (s *Stage) Wood(ctx context.Context, sieve nursery.Sieve, plantsAfter string, bundlesAfter int64) (WoodPage, error) {
	q := s.DB.Q()
	var p WoodPage
	var err error
	if p.Plants, err = q.Plants(ctx, sieve, plantsAfter, nursery.PageSize); err != nil {
		return p, err
	}
	bs, err := q.BundlePiles(ctx, sieve, bundlesAfter, nursery.PageSize)
	if err != nil {
		return p, err
	}
	f, err := s.Facts(ctx, snapshot.Places)
	if err != nil {
		return p, err
	}
	k := outlook.KeeperOf(f)
	for _, b := range bs {
		d, _, err := outlook.BundleDiameters(b)
		if err != nil {
			return p, err
		}
		l := outlook.BundleLine{Bundle: b.Bundle, Diameters: d, Days: season.Days(b.CutOn, f.Today)}
		if b.Free > 0 {
			l.Kept = k.Keep(b, nil)
			l.Soon, l.Past = l.Kept.Soon(f.At), l.Kept.Past(f.Today)
		}
		p.Bundles = append(p.Bundles, l)
	}
	return p, nil
}

// Sorts are what bundles are sorted by; "" is the newest first.
var Sorts = store.BundleSorts

// SiftedBundles counts the bundles that pass a sieve, and their free pieces.
func (s *Stage) SiftedBundles(ctx context.Context, sieve nursery.Sieve) (nursery.Sifted, error) {
	return s.DB.Q().SiftedBundles(ctx, sieve)
}

// PlantPage is what a mother plant's page shows.
type PlantPage struct {
	Plant   store.Plant
	Bundles []store.Bundle
	Photos  []store.Photo
}

// Plant gathers a mother plant's page.
func (s *Stage) Plant(ctx context.Context, code string) (PlantPage, error) {
	q := s.DB.Q()
	var p PlantPage
	var err error
	if p.Plant, err = q.PlantByCode(ctx, nursery.CleanCode(code)); err != nil {
		return p, err
	}
	if p.Photos, err = q.Photos(ctx, p.Plant.ID); err != nil {
		return p, err
	}
	p.Bundles, err = q.BundlesOfPlant(ctx, p.Plant.ID)
	return p, err
}

// ThrowOutWood takes pieces of a bundle out of use, with a reason.
func (s *Stage) ThrowOutWood(ctx context.Context, a nursery.Actor, code, reason string, n int) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	if n < 1 {
		return nursery.Problem{Field: "n", Says: words.SayHowManyPieces1}
	}
	if strings.TrimSpace(reason) == "" {
		return nursery.Problem{Field: "reason", Says: words.SayWhySoThatThe}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if again, err := nursery.SentBefore(ctx, q, "pieces of "+code); err != nil || again {
			return err
		}
		b, err := q.BundleByCode(ctx, code)
		if err != nil {
			return err
		}
		err = q.MoveWood(
			ctx,
			store.Move{
				Of:       b.ID,
				N:        n,
				From:     store.Free,
				To:       store.Spoiled,
				Reason:   string(tally.ByHand),
				Note:     strings.TrimSpace(reason),
				PersonID: a.ID,
				At:       s.Now(),
			},
		)
		return nursery.Short(err, "n", fmt.Sprintf(words.BundleXHasFewerThan, code, n))
	})
}
