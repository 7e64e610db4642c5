package demo

import (
	"fmt"
	"time"

	"unionknot/internal/core/ways"
	ordersstage "unionknot/internal/nursery/orders"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/nursery/wood"
	"unionknot/internal/store"
)

// seen is what was looked at and decides: a lot whose roots are sour, wood past its
// day, and an order whose counts came in low.
func (m *maker) seen() error {
	lots := []struct {
		code, stock string
		stems       int
		mean        float64
	}{{"L-211", "Beck 9", 160, 9.2}, {"L-212", "crab seedling", 150, 9.0}}
	for _, l := range lots {
		m.at(2027, time.January, 13, 10, 0)
		if err := m.s.AddLot(m.ctx, m.a, stock.NewLot{Code: l.code, Genus: "apple", StockType: l.stock, Supplier: "Ravenscar Stocks",
			Form: "bare-root", Place: "cold store 2", ReceivedOn: m.s.Today(), Received: l.stems,
			Health: "roots fibrous and moist"}); err != nil {
			return fmt.Errorf("lot %s: %w", l.code, err)
		}
		mm := make([]float64, 30)
		for i := range mm {
			mm[i] = m.normal(l.mean, 0.9)
		}
		if err := m.s.AddReadings(m.ctx, m.a, l.code, mm); err != nil {
			return fmt.Errorf("lot %s: %w", l.code, err)
		}
	}
	m.at(2024, time.October, 2, 9, 30)
	if err := m.s.AddPlant(m.ctx, m.a, wood.NewPlant{Code: "M-16", Genus: "apple", Variety: "Hob's Candle", Place: "old row 2",
		PlantedYear: 2006,
		Health:      "clean in 2026", SeenTrueBy: "Maud Thirlby", SeenTrueOn: time.Date(2024, time.September, 14, 0, 0, 0, 0,
			time.UTC)}); err != nil {
		return err
	}
	bundle := func(code string, on time.Time, sticks int, place string) error {
		m.s.RunFrom(on)
		return m.s.AddBundle(m.ctx, m.a, wood.NewBundle{Code: code, Plant: "M-16", State: "resting", Place: place, CutOn: m.s.Today(),
			Sticks: sticks, LengthMM: 520, BaseMM: 8.8, TipMM: 5.6, InternodeMM: 22, BlindPct: 5, BudsPerPiece: 3, Whole: true})
	}
	if err := bundle("W-314", time.Date(2027, time.January, 12, 15, 0, 0, 0, time.Local), 70, "cold store 2"); err != nil {
		return err
	}
	m.at(2027, time.January, 22, 9, 30)
	for _, o := range []struct {
		code, stock string
		trees       int
	}{{"O-54", "Beck 9", 60}, {"O-55", "crab seedling", 70}} {
		if err := m.s.AddOrder(m.ctx, m.a, ordersstage.NewOrder{Code: o.code, Genus: "apple", Variety: "Hob's Candle", StockGenus: "apple",
			StockType: o.stock, Trees: o.trees, DueOn: due(3, 1), Priority: 2, Buyer: "own sales"}); err != nil {
			return fmt.Errorf("order %s: %w", o.code, err)
		}
	}
	day := time.Date(2027, time.January, 26, 0, 0, 0, 0, time.UTC)
	m.at(2027, time.January, 26, 7, 30)
	b, err := m.makeBatch("O-55", "film", "cold callus", 0, day, "odile", "pim")
	if err != nil {
		return fmt.Errorf("O-55: %w", err)
	}
	ts, err := m.tags(b)
	if err != nil {
		return err
	}
	for i, t := range ts {
		m.at(2027, time.January, 26, 10+i%6, 20)
		if err := m.graft(t, t.Planned, 33, 0, true); err != nil {
			return err
		}
		if err := m.s.SetHealPlace(m.ctx, m.a, []string{t.Code}, "callus box 1"); err != nil {
			return err
		}
	}
	// Found in the shed since: cut in October, and past its day.
	if err := bundle("W-315", time.Date(2026, time.October, 20, 15, 0, 0, 0, time.Local), 12, "potting shed"); err != nil {
		return err
	}
	m.at(2027, time.February, 22, 9, 0)
	for _, t := range ts {
		if err := m.count(t, 0.62, "first look", map[string]float64{"dried out": 0.7, "cambium missed": 0.2,
			"not known": 0.1}); err != nil {
			return err
		}
	}
	m.at(2027, time.February, 22, 11, 0)
	// Rose stock was dear last summer, and wood plenty: two buds a stock since.
	if err := m.s.ChooseWay(m.ctx, m.a, string(ways.BudsPerStock), "two, keep the better"); err != nil {
		return err
	}
	if err := m.s.ChooseWay(m.ctx, m.a, string(ways.HeadingBack), "leave a snag to autumn"); err != nil {
		return err
	}
	return m.s.LookAtLot(
		m.ctx,
		m.a,
		"L-211",
		store.LotLook{Ready: "not ready", Roots: "sour", Bark: "dull", Note: "a wet corner of the bay"},
	)
}
