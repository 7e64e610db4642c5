package demo

import (
	"context"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/access"
	"unionknot/internal/nursery/days"
	"unionknot/internal/nursery/house"
	ordersstage "unionknot/internal/nursery/orders"
	seasonstage "unionknot/internal/nursery/season"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/nursery/wood"
	"unionknot/internal/store"
)

// southern are the people of the second house.
var southern = []hand{
	{"Isolde Farrow", "isolde", nursery.Propagator, 0},
	{"Corin Tell", "corin", nursery.BenchHand, 0},
	{"Wren Abbot", "wren", nursery.BenchHand, 0},
}

// LoadSouth fills an empty house with another made-up nursery: south of the line, where
// stock takes no rest, and buds are set in the row from flush to flush. It stands on the
// demo's day, in the middle of a budding.
func LoadSouth(ctx context.Context, db *store.DB, log *slog.Logger) error {
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
	m := &maker{ctx: ctx, db: db, s: s, r: rand.New(rand.NewPCG(1887, 41)), ids: map[string]int64{}}
	s.SeedCodes(rand.New(rand.NewPCG(1887, 42)))
	for _, step := range []struct {
		name string
		do   func() error
	}{
		{"opening the house", m.openSouth},
		{"rows, trees and orders", m.rowsSouth},
		{"the flushes", m.flushes},
		{"the budding before", m.buddedBefore},
		{"this budding", m.budding},
		{"fixing the day", func() error { return db.Q().SetDemoDay(ctx, Day) }},
	} {
		if err := step.do(); err != nil {
			return fmt.Errorf("demo south: %s: %w", step.name, err)
		}
	}
	_, err = db.ExecContext(ctx, `analyze`)
	return err
}

func (m *maker) openSouth() error {
	m.at(2026, time.September, 1, 8, 0)
	code, err := m.s.SetupCode(m.ctx)
	if err != nil {
		return err
	}
	if m.a, err = m.s.FirstPropagator(m.ctx, code, "Marram Bight Nursery", southern[0].name, southern[0].signIn, Password); err != nil {
		return err
	}
	if err := m.s.ChangeSettings(m.ctx, m.a, house.Settings{Name: "Marram Bight Nursery", Place: "Marram Bight, south of the line",
		TagSize: 40, ChancePct: 90}); err != nil {
		return err
	}
	for _, p := range southern[1:] {
		if err := m.s.AddPerson(m.ctx, m.a, access.NewPerson{Name: p.name, SignIn: p.signIn, Role: string(p.role), Password: Password,
			PIN: PIN}); err != nil {
			return err
		}
	}
	all, err := m.s.People(m.ctx, m.a)
	if err != nil {
		return err
	}
	for _, p := range all {
		m.ids[p.SignIn] = p.ID
		if p.Role != string(nursery.BenchHand) {
			continue
		}
		week := days.Week{Knows: []string{"t-bud", "chip-bud", "side-veneer"}}
		for d := 1; d <= 6; d++ {
			week.Hours[d][1], week.Hours[d][2] = 4, 2 // early, and out of the noon
		}
		if err := m.s.SetWeek(m.ctx, m.a, p.ID, week); err != nil {
			return err
		}
	}
	if err := m.s.SetGrown(m.ctx, m.a, []string{"citrus", "rose"}); err != nil {
		return err
	}
	return m.s.SetSite(m.ctx, m.a, season.Site{Climate: season.FrostFree, South: true})
}

func (m *maker) rowsSouth() error {
	for _, l := range []struct {
		code, genus, stock, place string
		stems                     int
		mean                      float64
	}{
		{"L-1", "citrus", "Bitter Hollow", "row 1", 900, 9.4}, {"L-2", "citrus", "Bitter Hollow", "row 2", 620, 8.6},
		{"L-3", "citrus", "Threeleaf Cross", "row 5", 480, 8.9}, {"L-4", "rose", "Dune Brier", "row 9", 700, 7.6},
	} {
		m.at(2026, time.September, 4, 9, 0)
		if err := m.s.AddLot(m.ctx, m.a, stock.NewLot{Code: l.code, Genus: l.genus, StockType: l.stock, Supplier: "own seed",
			Form:  "in the row",
			Place: l.place, ReceivedOn: m.s.Today(), Received: l.stems, Health: "an even stand"}); err != nil {
			return err
		}
		m.at(2026, time.December, 28, 9, 0)
		mm := make([]float64, 40)
		for i := range mm {
			mm[i] = m.normal(l.mean, 0.9)
		}
		if err := m.s.AddReadings(m.ctx, m.a, l.code, mm); err != nil {
			return err
		}
	}
	m.at(2026, time.September, 5, 9, 0)
	for _, p := range []plant{{"M-1", "citrus", "Lamplighter", "block A", 2012, true, ""}, {"M-2", "citrus", "Salt Lantern", "block A",
		2014, true, ""},
		{"M-3", "citrus", "Tidewife", "block B", 2017, true, "house licence 3"}, {"M-4", "rose", "Gull's Errand", "rose yard", 2019, true,
			""}} {
		if err := m.s.AddPlant(m.ctx, m.a, wood.NewPlant{Code: p.code, Genus: p.genus, Variety: p.variety, Place: p.place,
			PlantedYear: p.planted,
			Licence:     p.licence, Health: "clean in 2026", SeenTrueBy: southern[0].name, SeenTrueOn: m.s.Today()}); err != nil {
			return err
		}
	}
	day := func(y int, mo time.Month, d int) time.Time { return time.Date(y, mo, d, 0, 0, 0, 0, time.UTC) }
	for _, o := range []order{
		{"S-1", "citrus", "Lamplighter", "citrus", "Bitter Hollow", 260, 1, day(2028, 4, 1), "Long Quay Gardens"},
		{"S-2", "citrus", "Salt Lantern", "citrus", "Bitter Hollow", 320, 1, day(2028, 6, 1), "Long Quay Gardens"},
		{"S-3", "citrus", "Tidewife", "citrus", "Threeleaf Cross", 180, 2, day(2028, 8, 1), "own sales"},
		{"S-4", "rose", "Gull's Errand", "rose", "Dune Brier", 400, 2, day(2028, 5, 1), "own sales"},
	} {
		if err := m.s.AddOrder(m.ctx, m.a, ordersstage.NewOrder{Code: o.code, Genus: o.genus, Variety: o.variety, StockGenus: o.stockGenus,
			StockType: o.stock, Trees: o.trees, Priority: o.priority, DueOn: o.due, Buyer: o.buyer}); err != nil {
			return err
		}
	}
	return nil
}

// flushes notes what was seen of the bark, from the last dry spell on.
func (m *maker) flushes() error {
	for _, x := range []struct {
		group, says, place string
		month              time.Month
		day                int
	}{
		{"tender", season.FreshFlush, "row 1", time.January, 4}, {"rose", season.FreshFlush, "row 9", time.January, 6},
		{"tender", season.FreshFlush, "row 2", time.February, 15}, {"rose", season.FreshFlush, "row 9", time.February, 18},
	} {
		m.at(2027, x.month, x.day, 16, 0)
		if err := m.s.NoteSeen(m.ctx, m.a, x.group, seasonstage.NewSeen{Says: x.says, On: m.s.Today(), Place: x.place}); err != nil {
			return err
		}
	}
	return nil
}

// sticks cuts green wood on the day it is budded.
func (m *maker) sticks(code, plant string, n int) error {
	return m.s.AddBundle(m.ctx, m.a, wood.NewBundle{Code: code, Plant: plant, State: season.RipeGreen, Place: "wet sacking",
		CutOn:  m.s.Today(),
		Sticks: n, LengthMM: 320, BaseMM: 7.6, TipMM: 5.2, InternodeMM: 24, BudsPerPiece: 1})
}

// buddedBefore is what was budded in January, and looked at since.
func (m *maker) buddedBefore() error {
	on := time.Date(2027, time.January, 12, 0, 0, 0, 0, time.UTC)
	m.at(2027, time.January, 12, 6, 30)
	if err := m.sticks("W-1", "M-1", 36); err != nil {
		return err
	}
	b, err := m.makeBatch("S-1", "pvc", "in the row", 0, on, "corin", "wren")
	if err != nil {
		return err
	}
	ts, err := m.tags(b)
	if err != nil {
		return err
	}
	for i, t := range ts {
		m.at(2027, time.January, 12+i/4, 9+i%4, 40)
		if err := m.graft(t, t.Planned, 70, 0, true); err != nil {
			return err
		}
	}
	m.at(2027, time.February, 9, 8, 0)
	for _, t := range ts {
		if err := m.count(t, 0.88, "first look", map[string]float64{"dried out": 0.4, "cambium missed": 0.4,
			"not known": 0.2}); err != nil {
			return err
		}
	}
	m.at(2027, time.February, 12, 8, 0)
	return m.nurse()
}

// budding is the demo's day: one batch under way in the row, another still to be woven.
func (m *maker) budding() error {
	m.at(2027, time.February, 23, 6, 0)
	if err := m.sticks("W-2", "M-2", 75); err != nil {
		return err
	}
	if err := m.sticks("W-3", "M-3", 50); err != nil {
		return err
	}
	b, err := m.makeBatch("S-2", "pvc", "in the row", 0, Day, "corin", "wren")
	if err != nil {
		return err
	}
	ts, err := m.tags(b)
	if err != nil {
		return err
	}
	m.at(2027, time.February, 23, 14, 5)
	done := map[int64]int{}
	for _, t := range ts {
		switch k := done[t.WorkerID]; k {
		case 0:
			err = m.graft(t, t.Planned, 72, 40*time.Minute, true)
		case 1:
			err = m.graft(t, t.Planned/2, 66, time.Minute, false)
		}
		if err != nil {
			return err
		}
		done[t.WorkerID]++
	}
	return nil
}
