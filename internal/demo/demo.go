// Package demo fills an empty house with a made-up nursery in a made-up
// place: two past seasons with some trouble in them, and a bench season under
// way on a fixed day. Every name in it is invented.
package demo

import (
	"context"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"time"

	"unionknot/internal/core/supply"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/access"
	"unionknot/internal/nursery/house"
	ordersstage "unionknot/internal/nursery/orders"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/nursery/wood"
	"unionknot/internal/store"
)

// Day is the demo's fixed day, late in the bench season.
var Day = time.Date(2027, time.February, 23, 0, 0, 0, 0, time.UTC)

// Password is everybody's in the demo, and PIN the bench hands'.
const (
	Password = "three blunt knives"
	PIN      = "2468"
)

// Options are what a demo is made with.
type Options struct {
	Scale int // times as many past batches; 0 is 1
}

// hand is somebody of the demo, with how their takes run in past seasons.
type hand struct {
	name, signIn string
	role         nursery.Role
	logit        float64
}

var people = []hand{
	{"Maud Thirlby", "maud", nursery.Propagator, 0.35},
	{"Ansel Roke", "ansel", nursery.BenchHand, 0.25},
	{"Odile Garth", "odile", nursery.BenchHand, 0.1},
	{"Pim Hallow", "pim", nursery.BenchHand, -0.1},
	{"Tamsin Reave", "tamsin", nursery.BenchHand, -0.9}, // the learner
	{"Vera Lunn", "vera", nursery.Looker, 0},
}

type maker struct {
	ctx   context.Context
	db    *store.DB
	s     *stages.Set
	r     *rand.Rand
	a     nursery.Actor
	ids   map[string]int64 // people by sign-in
	codes *rand.Rand
}

// Load fills the house. A house that somebody has opened is left alone.
func Load(ctx context.Context, db *store.DB, log *slog.Logger, o Options) error {
	s, err := stages.New(ctx, db, log)
	if err != nil {
		return err
	}
	if empty, err := s.Empty(ctx); err != nil {
		return err
	} else if !empty {
		log.Info("this house is open already: the demo leaves it as it is")
		return nil
	}
	m := &maker{ctx: ctx, db: db, s: s, r: rand.New(rand.NewPCG(1887, 23)), ids: map[string]int64{}}
	m.codes = rand.New(rand.NewPCG(1887, 24))
	s.SeedCodes(m.codes)
	for _, step := range []struct {
		name string
		do   func() error
	}{
		{"opening the house", m.open},
		{"past seasons", func() error { return m.past(max(1, o.Scale)) }},
		{"trees of several unions", m.several},
		{"this season's stock, wood and orders", m.intake},
		{"the stores", m.stores},
		{"where grafts heal", m.healing},
		{"the year", m.year},
		{"this season's batches", m.batches},
		{"what was seen", m.seen},
		{"trees of several unions, now", m.severalNow},
		{"the bench's weeks", m.weeks},
		{"rows in the field", m.field},
		{"a course", m.course},
		{"fixing the day", func() error { return db.Q().SetDemoDay(ctx, Day) }},
	} {
		if err := step.do(); err != nil {
			return fmt.Errorf("demo: %s: %w", step.name, err)
		}
	}
	_, err = db.ExecContext(ctx, `analyze`)
	return err
}

// at sets the nursery's clock.
func (m *maker) at(year int, month time.Month, day, hour, minute int) {
	m.s.RunFrom(time.Date(year, month, day, hour, minute, 0, 0, time.Local))
}

func (m *maker) open() error {
	m.at(2024, time.October, 1, 8, 0)
	code, err := m.s.SetupCode(m.ctx)
	if err != nil {
		return err
	}
	first := people[0]
	if m.a, err = m.s.FirstPropagator(m.ctx, code, "Skelderholm Nursery", first.name, first.signIn, Password); err != nil {
		return err
	}
	if err := m.s.ChangeSettings(m.ctx, m.a, house.Settings{Name: "Skelderholm Nursery", Place: "Skelderholm, in the Vale of Orrin",
		TagSize: 25, ChancePct: 90}); err != nil {
		return err
	}
	for _, p := range people[1:] {
		n := access.NewPerson{Name: p.name, SignIn: p.signIn, Role: string(p.role), Password: Password}
		if p.role == nursery.BenchHand {
			n.PIN = PIN
		}
		if err := m.s.AddPerson(m.ctx, m.a, n); err != nil {
			return err
		}
	}
	all, err := m.s.People(m.ctx, m.a)
	for _, p := range all {
		m.ids[p.SignIn] = p.ID
	}
	return err
}

// normal draws a diameter, rounded to a tenth.
func (m *maker) normal(mean, sd float64) float64 {
	return float64(int((mean+sd*m.r.NormFloat64())*10+0.5)) / 10
}

type lot struct {
	code, genus, stock, supplier, form, place string
	came                                      int // day of January
	stems, measured                           int
	mean, sd                                  float64
	gradeLow, gradeHigh                       float64
}

var lots = []lot{
	{"L-201", "quince", "Tarn Q3", "Holm Layers", "bare-root", "cold store 2", 11, 420, 62, 9.0, 0.95, 0, 0},
	{"L-202", "quince", "Tarn Q3", "Holm Layers", "bare-root", "cold store 2", 14, 260, 40, 8.2, 0.8, 0, 0},
	{"L-203", "quince", "Keld QA", "Ravenscar Stocks", "bare-root", "cold store 2", 14, 300, 45, 10.2, 1.1, 0, 0},
	{"L-204", "pear", "Wether Seedling", "own row", "bare-root", "heeled in, north bed", 12, 340, 50, 8.8, 1.3, 0, 0},
	{"L-205", "pear", "Wether Seedling", "own row", "bare-root", "heeled in, north bed", 18, 180, 0, 0, 0, 7, 9},
	{"L-206", "chestnut", "Grike Clone 4", "Scar Foot Stocks", "potted", "house 1", 15, 240, 36, 10.8, 1.2, 0, 0},
	{"L-207", "maple", "green seedling", "own bed", "potted", "house 3", 8, 160, 30, 7.2, 0.8, 0, 0},
	{"L-208", "wisteria", "seedling", "own bed", "potted", "house 3", 8, 120, 24, 9.5, 1.4, 0, 0},
	{"L-209", "rose", "Whin Laxa", "Ravenscar Stocks", "in the row", "row 12", 20, 900, 40, 7.4, 0.9, 0, 0},
	{"L-210", "hawthorn", "quickthorn", "own row", "bare-root", "cold store 2", 16, 150, 25, 8.0, 0.7, 0, 0},
}

type plant struct {
	code, genus, variety, place string
	planted                     int
	seen                        bool
	licence                     string
}

var plants = []plant{
	{"M-1", "pear", "Lanternjaw", "old row 4", 1998, true, ""}, {"M-2", "pear", "Lanternjaw", "old row 4", 1998, true, ""},
	{
		"M-3",
		"pear",
		"Grey Ferryman",
		"old row 6",
		2004,
		true,
		"",
	}, {"M-4", "pear", "Copperpot", "old row 7", 2009, true, "house licence 14"},
	{"M-5", "quince", "Slow Hare", "quince bank", 2001, true, ""}, {"M-6", "medlar", "Dowager's Bun", "quince bank", 1995, true, ""},
	{"M-7", "chestnut", "Brindle Cob", "far bank", 1986, true, ""}, {"M-8", "chestnut", "Nine Bells", "far bank", 1991, false, ""},
	{"M-9", "maple", "Ferry Lace", "garden wall", 2010, true, ""}, {"M-10", "maple", "Ember Rook", "garden wall", 2012, true, ""},
	{
		"M-11",
		"wisteria",
		"Long Evensong",
		"south arch",
		2003,
		true,
		"",
	}, {"M-12", "rose", "Tinker's Supper", "rose yard", 2015, true, "house licence 22"},
	{
		"M-13",
		"pear",
		"Fallow Knight",
		"old row 9",
		2011,
		true,
		"",
	}, {"M-14", "pear", "Fallow Knight", "old row 9", 2011, true, ""}, {"M-15", "pear", "Fallow Knight", "old row 9", 2013, true, ""},
}

type bundle struct {
	code, plant            string
	cut                    int // day of January
	sticks                 int
	length, base, tip, int float64
	buds                   int
	place                  string
}

var bundles = []bundle{
	{"W-301", "M-1", 9, 62, 560, 9.6, 5.8, 22, 3, "cold store 1"}, {"W-302", "M-2", 9, 54, 540, 9.1, 5.6, 23, 3, "cold store 1"},
	{"W-303", "M-1", 19, 36, 520, 8.4, 5.4, 22, 2, "cold store 1"}, {"W-304", "M-3", 10, 76, 540, 8.9, 5.5, 24, 3, "cold store 1"},
	{"W-305", "M-4", 10, 51, 500, 9.8, 6.2, 22, 2, "cold store 1"}, {"W-306", "M-5", 12, 78, 480, 8.6, 5.2, 20, 3, "cold store 1"},
	{"W-307", "M-6", 12, 54, 430, 7.8, 5.0, 19, 3, "cold store 1"}, {"W-308", "M-7", 16, 66, 600, 11.2, 7.0, 28, 2, "cold store 1"},
	{"W-309", "M-8", 16, 30, 560, 10.4, 6.6, 27, 2, "cold store 1"}, {"W-310", "M-9", 18, 90, 360, 6.6, 4.4, 18, 2, "cold store 1"},
	{"W-311", "M-10", 18, 45, 340, 6.4, 4.2, 17, 2, "cold store 1"}, {"W-312", "M-11", 19, 54, 620, 9.2, 6.0, 30, 2, "cold store 1"},
	{"W-313", "M-4", 21, 30, 500, 9.4, 6.0, 22, 1, "cold store 1"},
}

type order struct {
	code, genus, variety, stockGenus, stock string
	trees, priority                         int
	due                                     time.Time
	buyer                                   string
}

func due(month time.Month, day int) time.Time {
	return time.Date(2028, month, day, 0, 0, 0, 0, time.UTC)
}

var orders = []order{
	{"O-41", "pear", "Lanternjaw", "quince", "Tarn Q3", 140, 1, due(2, 20), "Orchard Wick"},
	{"O-42", "pear", "Grey Ferryman", "pear", "Wether Seedling", 120, 1, due(2, 20), "Orchard Wick"},
	{"O-43", "pear", "Copperpot", "quince", "Tarn Q3", 60, 2, due(3, 1), "Saltmarsh Walled Garden"},
	{"O-44", "quince", "Slow Hare", "quince", "Keld QA", 110, 2, due(3, 1), "own sales"},
	{"O-45", "medlar", "Dowager's Bun", "hawthorn", "quickthorn", 70, 2, due(3, 10), "own sales"},
	{"O-46", "chestnut", "Brindle Cob", "chestnut", "Grike Clone 4", 80, 1, due(11, 15), "Ferriby Woods"},
	{"O-47", "chestnut", "Nine Bells", "chestnut", "Grike Clone 4", 40, 3, due(11, 15), "Ferriby Woods"},
	{"O-48", "maple", "Ferry Lace", "maple", "green seedling", 90, 2, due(4, 10), "own sales"},
	{"O-49", "maple", "Ember Rook", "maple", "green seedling", 60, 3, due(4, 10), "own sales"},
	{"O-50", "wisteria", "Long Evensong", "wisteria", "seedling", 50, 2, due(5, 1), "Saltmarsh Walled Garden"},
	{"O-51", "rose", "Tinker's Supper", "rose", "Whin Laxa", 600, 2, due(10, 20), "own sales"},
	{"O-52", "pear", "Lanternjaw", "pear", "Wether Seedling", 90, 3, due(3, 20), "own sales"},
	{"O-53", "pear", "Fallow Knight", "pear", "Wether Seedling", 150, 2, due(11, 20), "Ferriby Woods"},
}

// growing takes in a row that was lined out last spring and measured through
// its summer.
func (m *maker) growing() error {
	m.at(2026, time.April, 14, 9, 0)
	if err := m.s.AddLot(m.ctx, m.a, stock.NewLot{Code: "L-188", Genus: "quince", StockType: "Tarn Q9", Supplier: "Holm Layers",
		Form: "in the row", Place: "row 15", ReceivedOn: m.s.Today(), Received: 640}); err != nil {
		return err
	}
	// Seedlings of the same spring stand in the seedbed still, and more were sown.
	for _, l := range []stock.NewLot{{Code: "L-190", Genus: "pear", StockType: "Wether Seedling", Place: "seedbed 1", Received: 1150},
		{Code: "L-191", Genus: "chestnut", StockType: "sweet seedling", Place: "seedbed 2", Received: 420}} {
		l.Form, l.Supplier, l.ReceivedOn, l.Health = supply.Seedbed, "own seed", m.s.Today(), "an even stand"
		if err := m.s.AddLot(m.ctx, m.a, l); err != nil {
			return err
		}
	}
	for i, mean := range []float64{4.9, 5.6, 6.2, 6.9} {
		m.at(2026, time.June, 8+21*i, 10, 0)
		mm := make([]float64, 24)
		for k := range mm {
			mm[k] = m.normal(mean, 0.7)
		}
		if err := m.s.AddReadings(m.ctx, m.a, "L-188", mm); err != nil {
			return err
		}
	}
	return m.s.LookAtLot(m.ctx, m.a, "L-188", store.LotLook{Ready: "ready", Bark: "bright", Leaves: "dark, fresh tips", Note: "bark slips"})
}

// intake takes in this season's lots, readings, plants, wood and orders.
func (m *maker) intake() error {
	for _, l := range lots {
		m.at(2027, time.January, l.came, 10, 0)
		n := stock.NewLot{
			Code:       l.code,
			Genus:      l.genus,
			StockType:  l.stock,
			Supplier:   l.supplier,
			Form:       l.form,
			Place:      l.place,
			ReceivedOn: m.s.Today(),
			Received:   l.stems,
			GradeLow:   l.gradeLow,
			GradeHigh:  l.gradeHigh,
			Health:     "roots fibrous and moist, bark bright",
		}
		if err := m.s.AddLot(m.ctx, m.a, n); err != nil {
			return fmt.Errorf("lot %s: %w", l.code, err)
		}
		if l.measured == 0 {
			continue
		}
		mm := make([]float64, l.measured)
		for i := range mm {
			mm[i] = m.normal(l.mean, l.sd)
		}
		m.at(2027, time.January, l.came+1, 11, 0)
		if err := m.s.AddReadings(m.ctx, m.a, l.code, mm); err != nil {
			return fmt.Errorf("lot %s: %w", l.code, err)
		}
	}
	if err := m.growing(); err != nil {
		return err
	}
	m.at(2024, time.October, 2, 9, 0)
	for _, p := range plants {
		n := wood.NewPlant{
			Code:        p.code,
			Genus:       p.genus,
			Variety:     p.variety,
			Place:       p.place,
			PlantedYear: p.planted,
			Licence:     p.licence,
			Health:      "clean in 2026",
		}
		if p.seen {
			n.SeenTrueBy, n.SeenTrueOn = "Maud Thirlby", time.Date(2024, time.September, 14, 0, 0, 0, 0, time.UTC)
		}
		if err := m.s.AddPlant(m.ctx, m.a, n); err != nil {
			return fmt.Errorf("plant %s: %w", p.code, err)
		}
	}
	for _, b := range bundles {
		m.at(2027, time.January, b.cut, 15, 0)
		if err := m.s.AddBundle(m.ctx, m.a, wood.NewBundle{Code: b.code, Plant: b.plant, State: "resting", Place: b.place,
			CutOn: m.s.Today(), Sticks: b.sticks,
			LengthMM: b.length, BaseMM: b.base, TipMM: b.tip, InternodeMM: b.int, BlindPct: 5, BudsPerPiece: b.buds,
			Whole: true}); err != nil {
			return fmt.Errorf("bundle %s: %w", b.code, err)
		}
	}
	m.at(2027, time.January, 22, 9, 0)
	for _, o := range orders {
		if err := m.s.AddOrder(m.ctx, m.a, ordersstage.NewOrder{Code: o.code, Genus: o.genus, Variety: o.variety,
			StockGenus: o.stockGenus, StockType: o.stock,
			Trees: o.trees, Priority: o.priority, DueOn: o.due, Buyer: o.buyer}); err != nil {
			return fmt.Errorf("order %s: %w", o.code, err)
		}
	}
	return nil
}
