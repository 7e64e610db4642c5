package demo

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/supply"
	"unionknot/internal/nursery/growon"
	"unionknot/internal/nursery/heal"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/nursery/trees"
	"unionknot/internal/nursery/wood"
)

// several makes the trees of several unions: an old pear that was half grafted over last spring,
// family trees that were budded last summer and wait for their last variety, and pears on an
// interstem whose first union was made this winter. What it draws is its own.
func (m *maker) several() error {
	defer m.apart(18)()
	m.at(2025, time.October, 3, 9, 0)
	for i, p := range []struct{ variety, place string }{{"Wick Amber", "old row 11"}, {"Heron Late", "old row 11"}, {"Sallow Bell",
		"old row 12"}} {
		if err := m.s.AddPlant(m.ctx, m.a, wood.NewPlant{Code: fmt.Sprintf("M-%d", 17+i), Genus: "pear", Variety: p.variety, Place: p.place,
			PlantedYear: 2010,
			Health:      "clean in 2025", SeenTrueBy: "Maud Thirlby", SeenTrueOn: time.Date(2025, time.September, 9, 0, 0, 0, 0,
				time.UTC)}); err != nil {
			return err
		}
	}
	if err := m.overOld(); err != nil {
		return fmt.Errorf("the old pear: %w", err)
	}
	if err := m.familyTrees(); err != nil {
		return fmt.Errorf("family trees: %w", err)
	}
	return nil
}

// severalNow is what is done of them in this season.
func (m *maker) severalNow() error {
	defer m.apart(20)()
	if err := m.flowering(); err != nil {
		return err
	}
	if err := m.cutFor("W-317", "M-18", "resting", on(2027, time.January, 19, 10), 3, 3); err != nil {
		return err
	}
	m.at(2027, time.February, 15, 9, 0)
	if err := m.s.WantOn(m.ctx, m.a, "T-7", "D", trees.Want{Variety: "Heron Late", Genus: "pear"}); err != nil {
		return err
	}
	if err := m.onInterstem(); err != nil {
		return fmt.Errorf("an interstem: %w", err)
	}
	return nil
}

// apart draws from a source of its own until it is called again, so that the rest of the demo stays
// as it is.
func (m *maker) apart(seed uint64) func() {
	r := m.r
	m.r = rand.New(rand.NewPCG(1887, seed))
	m.s.SeedCodes(rand.New(rand.NewPCG(1887, seed+1)))
	return func() {
		m.r = r
		m.s.SeedCodes(m.codes)
	}
}

// cutFor cuts wood for one limb; what is left of it is thrown out by use.
func (m *maker) cutFor(code, plant, state string, on time.Time, sticks, buds int) error {
	m.s.RunFrom(on)
	b := wood.NewBundle{Code: code, Plant: plant, State: state, Place: "cold store 2", CutOn: m.s.Today(), Sticks: sticks, LengthMM: 520,
		BaseMM: 9,
		TipMM:  6, InternodeMM: 22, BudsPerPiece: buds, Whole: true}
	if state != "resting" {
		b.Place, b.BaseMM, b.TipMM = "potting shed", 7.6, 5.4
	}
	return m.s.AddBundle(m.ctx, m.a, b)
}

// made weaves an order of a limb whole, makes its grafts on a day, and counts them at a look: of
// each tag so many taken.
func (m *maker) made(order, healing string, on, look time.Time, taken func(tied int) int, cause string) error {
	m.s.RunFrom(on)
	b, err := m.makeBatch(order, "film", healing, 0, m.s.Today(), "ansel")
	if err != nil {
		return fmt.Errorf("%s: %w", order, err)
	}
	ts, err := m.tags(b)
	if err != nil {
		return err
	}
	for i, t := range ts {
		m.s.RunFrom(on.Add(time.Duration(2*i+2) * time.Hour))
		if err := m.graft(t, t.Planned, 30, 0, true); err != nil {
			return err
		}
		if look.IsZero() {
			continue
		}
		m.s.RunFrom(look)
		p, err := m.s.Count(m.ctx, t.Code, "first look")
		if err != nil {
			return err
		}
		n := heal.NewCount{ID: m.uuid(), Look: "first look", Taken: min(p.Tag.Tied, taken(p.Tag.Tied)), Causes: map[string]int{}}
		if n.Dead = p.Tag.Tied - n.Taken; n.Dead > 0 {
			n.Causes[cause] = n.Dead
		}
		if err := m.s.KeepCount(m.ctx, m.a, t.Code, n); err != nil {
			return err
		}
	}
	return nil
}

func on(year int, month time.Month, day, hour int) time.Time {
	return time.Date(year, month, day, hour, 0, 0, 0, time.Local)
}

// overOld grafts the half of an old pear over.
func (m *maker) overOld() error {
	m.at(2026, time.March, 20, 9, 0)
	if err := m.s.AddTree(m.ctx, m.a, trees.NewTree{Code: "T-7", Genus: "pear", Stock: "an old perry pear", Place: "old row",
		Planted: 1998, GirthMM: 640,
		Note: "half of it grafted over in the spring of 2026, the rest in 2027"}); err != nil {
		return err
	}
	for _, l := range []trees.NewLimb{
		{Name: "to the lane", MM: 38, HeightCM: 150, Places: 3, FromY: 330, TipX: 130, TipY: 640},
		{Name: "to the bank", MM: 34, HeightCM: 170, Places: 3, FromY: 390, TipX: 830, TipY: 700},
		{Name: "the middle", MM: 42, HeightCM: 190, Places: 4, FromY: 440, TipX: 380, TipY: 900},
		{Name: "over the gate", MM: 32, HeightCM: 180, Places: 4, FromY: 440, TipX: 610, TipY: 920},
		{Name: "low, to the south", MM: 26, HeightCM: 110, Places: 1, FromY: 240, TipX: 700, TipY: 420, Nurse: true},
	} {
		if _, err := m.s.AddLimb(m.ctx, m.a, "T-7", l); err != nil {
			return err
		}
	}
	for i, w := range []struct {
		letter, variety, plant string
		taken                  int
	}{{"A", "Lanternjaw", "", 2}, {"B", "Copperpot", "", 2}, {"C", "Grey Ferryman", "", 1}} {
		bundle := fmt.Sprintf("W-29%d", 5+i)
		if err := m.db.Get(&w.plant, `select p.code from mother_plant p join variety v on v.id = p.variety_id where v.name = $1 order by
			p.id limit 1`,
			w.variety); err != nil {
			return err
		}
		if err := m.cutFor(bundle, w.plant, "resting", on(2026, time.January, 20, 10), 2, 3); err != nil {
			return err
		}
		m.at(2026, time.April, 18, 8, 0)
		if err := m.s.WantOn(m.ctx, m.a, "T-7", w.letter, trees.Want{Variety: w.variety, Genus: "pear"}); err != nil {
			return err
		}
		// As many as there is room for: the best is kept later.
		m.s.RunFrom(on(2026, time.April, 20+i, 8))
		room := map[string]int{"A": 3, "B": 2, "C": 4}[w.letter]
		b, err := m.makeBatch("T-7-"+w.letter, "film", "in the row", room, m.s.Today(), "ansel")
		if err != nil {
			return fmt.Errorf("limb %s: %w", w.letter, err)
		}
		ts, err := m.tags(b)
		if err != nil {
			return err
		}
		left := w.taken
		for k, t := range ts {
			m.s.RunFrom(on(2026, time.April, 20+i, 10+k))
			if err := m.graft(t, t.Planned, 12, 0, true); err != nil {
				return err
			}
			m.s.RunFrom(on(2026, time.May, 26, 10))
			n := heal.NewCount{ID: m.uuid(), Look: "first look", Causes: map[string]int{}}
			p, err := m.s.Count(m.ctx, t.Code, "first look")
			if err != nil {
				return err
			}
			n.Taken = min(left, p.Tag.Tied)
			left -= n.Taken
			if n.Dead = p.Tag.Tied - n.Taken; n.Dead > 0 {
				n.Causes["dried out"] = n.Dead
			}
			if err := m.s.KeepCount(m.ctx, m.a, t.Code, n); err != nil {
				return err
			}
		}
		if err := m.s.CloseOrder(m.ctx, m.a, "T-7-"+w.letter, false); err != nil {
			return err
		}
		if err := m.useUp(bundle); err != nil {
			return err
		}
	}
	m.s.RunFrom(on(2026, time.July, 28, 16))
	if err := m.s.DoOnLimb(m.ctx, m.a, "T-7", "B", trees.Did{Act: m.uuid(), What: trees.Spreader, Note: "both stay"}); err != nil {
		return err
	}
	if err := m.nursed("T-7"); err != nil {
		return err
	}
	p, err := m.s.Tree(m.ctx, "T-7")
	if err != nil {
		return err
	}
	m.s.RunFrom(on(2026, time.October, 26, 10))
	for _, l := range p.Limbs {
		for _, t := range l.Tags {
			if err := m.s.KeepCount(m.ctx, m.a, t.Code, heal.NewCount{ID: m.uuid(), Look: "end of season", Taken: t.Standing}); err != nil {
				return err
			}
		}
	}
	return nil
}

// nursed does what was due on a tree's grafts until the end of the year.
func (m *maker) nursed(code string) error {
	p, err := m.s.Tree(m.ctx, code)
	if err != nil {
		return err
	}
	for _, l := range p.Limbs {
		for _, t := range l.Tags {
			for range 40 {
				g, err := m.s.Grown(m.ctx, t.Code)
				if err != nil {
					return err
				}
				i := slices.IndexFunc(g.Plan.Knots, func(k aftercare.Knot) bool {
					return k.By.Date().Year() == 2026 && !slices.Contains([]aftercare.Name{aftercare.FirstLook, aftercare.TakeLook,
						aftercare.BudLook,
						aftercare.SecondLook}, k.Name)
				})
				if i < 0 {
					break
				}
				k := g.Plan.Knots[i]
				m.s.RunFrom(k.Best.Date().Add(10 * time.Hour))
				if err := m.act(growon.Act{ID: m.uuid(), Kind: growon.Done, Knot: k.Name.String(), Items: []growon.Item{{Code: t.Code,
					N: k.N}}}); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// useUp throws out what is left of a bundle.
func (m *maker) useUp(code string) error {
	b, err := m.db.Q().BundleByCode(m.ctx, code)
	if err != nil || b.Free == 0 {
		return err
	}
	return m.s.ThrowOutWood(m.ctx, m.a, code, "dried out", b.Free)
}

// familyTrees are budded with three varieties in turn.
func (m *maker) familyTrees() error {
	m.at(2026, time.March, 12, 9, 0)
	if err := m.s.AddLot(m.ctx, m.a, stock.NewLot{Code: "L-214", Genus: "pear", StockType: "Cam Frame 2", Supplier: "own bed",
		Form: supply.InRow, Place: "row 16",
		ReceivedOn: m.s.Today(), Received: 100}); err != nil {
		return err
	}
	m.at(2026, time.August, 1, 9, 0)
	mm := make([]float64, 30)
	for i := range mm {
		mm[i] = m.normal(10.4, 0.8)
	}
	if err := m.s.AddReadings(m.ctx, m.a, "L-214", mm); err != nil {
		return err
	}
	if _, err := m.s.AddSet(m.ctx, m.a, trees.NewSet{Code: "F-60", Kind: trees.Family, Lot: "L-214", Place: "row 16",
		Buyer: "Saltmarsh Walled Garden", Wanted: 40,
		Begin: 60, Genus: "pear", Varieties: []string{"Wick Amber", "Heron Late", "Sallow Bell"}, DueOn: time.Date(2028, time.November,
			20, 0,
			0, 0, 0, time.Local)}); err != nil {
		return err
	}
	for i, w := range []struct {
		letter, plant string
		share         float64
	}{{"A", "M-17", 0.93}, {"B", "M-18", 0.87}} {
		bundle := fmt.Sprintf("W-29%d", 3+i)
		if err := m.cutFor(bundle, w.plant, "ripe green", on(2026, time.August, 4+7*i, 7), 14, 1); err != nil {
			return err
		}
		if err := m.made("F-60-"+w.letter, "in the row", on(2026, time.August, 4+7*i, 8), on(2026, time.September, 8+i, 9),
			func(tied int) int {
				return int(w.share * float64(tied))
			}, "cambium missed"); err != nil {
			return err
		}
		if err := m.useUp(bundle); err != nil {
			return err
		}
	}
	return nil
}

// onInterstem has its first union healing, and waits for its second.
func (m *maker) onInterstem() error {
	m.at(2027, time.January, 14, 9, 0)
	if err := m.s.AddLot(m.ctx, m.a, stock.NewLot{Code: "L-215", Genus: "quince", StockType: "Cam Quince 5", Supplier: "Holm Layers",
		Form:  supply.BareRoot,
		Place: "cold store 2", ReceivedOn: m.s.Today(), Received: 30}); err != nil {
		return err
	}
	mm := make([]float64, 12)
	for i := range mm {
		mm[i] = m.normal(9.2, 0.6)
	}
	if err := m.s.AddReadings(m.ctx, m.a, "L-215", mm); err != nil {
		return err
	}
	if err := m.cutFor("W-318", "M-17", "resting", on(2027, time.January, 15, 10), 8, 3); err != nil {
		return err
	}
	m.at(2027, time.January, 18, 9, 0)
	if _, err := m.s.AddSet(m.ctx, m.a, trees.NewSet{Code: "I-3", Kind: trees.Interstem, Lot: "L-215", Place: "house 1",
		Buyer: "own sales", Wanted: 12, Begin: 18,
		Genus: "pear", Varieties: []string{"Wick Amber", "Sallow Bell"}, DueOn: time.Date(2029, time.March, 1, 0, 0, 0, 0,
			time.Local)}); err != nil {
		return err
	}
	if err := m.cutFor("W-319", "M-19", "resting", on(2027, time.January, 20, 10), 5, 3); err != nil {
		return err
	}
	return m.made("I-3-A", "cold callus", on(2027, time.February, 10, 8), time.Time{}, nil, "")
}

// flowering is noted of the pears, of two springs.
func (m *maker) flowering() error {
	m.at(2026, time.June, 1, 9, 0)
	for _, f := range []struct {
		variety     string
		first, last int // days of April 2026, and after
		ploidy      int
		group       string
	}{
		{"Lanternjaw", 18, 34, 2, ""}, {"Copperpot", 22, 37, 2, ""}, {"Grey Ferryman", 34, 47, 0, ""}, {"Fallow Knight", 27, 42, 2, ""},
		{"Wick Amber", 20, 33, 2, "k"}, {"Heron Late", 36, 49, 2, ""}, {"Sallow Bell", 21, 36, 3, ""},
	} {
		for _, year := range []int{2025, 2026} {
			late := 3 * (2026 - year)
			n := trees.NewFlower{Variety: f.variety, Genus: "pear", Year: year, First: time.Date(year, time.April, f.first+late, 0, 0, 0, 0,
				time.UTC),
				Last: time.Date(year, time.April, f.last+late, 0, 0, 0, 0, time.UTC), Ploidy: f.ploidy, Group: f.group}
			if err := m.s.NoteFlower(m.ctx, m.a, n); err != nil {
				return fmt.Errorf("%s: %w", f.variety, err)
			}
		}
	}
	return nil
}
