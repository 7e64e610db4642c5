package demo

import (
	"fmt"
	"math"
	"time"

	"unionknot/internal/core/learning"
	"unionknot/internal/nursery/learners"
	"unionknot/internal/nursery/match"
	ordersstage "unionknot/internal/nursery/orders"
	"unionknot/internal/nursery/stock"
	"unionknot/internal/nursery/wood"
	"unionknot/internal/store"
)

// course is a class of 28 in the middle of its grafts: some are quick, some slow, three hold a graft
// up to be looked at, one has left, and of one graft two supervisors judged.
func (m *maker) course() error {
	defer m.apart(22)()
	m.at(2027, time.January, 14, 9, 0)
	if err := m.s.AddLot(m.ctx, m.a, stock.NewLot{Code: "L-220", Genus: "pear", StockType: "course seedling", Supplier: "own row",
		Form:  "bare-root",
		Place: "heeled in, north bed", ReceivedOn: m.s.Today(), Received: 640, Health: "roots fibrous and moist"}); err != nil {
		return err
	}
	mm := make([]float64, 40)
	for i := range mm {
		mm[i] = m.normal(11.2, 0.7)
	}
	if err := m.s.AddReadings(m.ctx, m.a, "L-220", mm); err != nil {
		return err
	}
	if err := m.s.AddBundle(m.ctx, m.a, wood.NewBundle{Code: "W-330", Plant: "M-17", State: "resting", Place: "cold store 1",
		CutOn:  m.s.Today(),
		Sticks: 300, LengthMM: 520, BaseMM: 8.8, TipMM: 6.4, InternodeMM: 22, BlindPct: 5, BudsPerPiece: 2, Whole: true}); err != nil {
		return err
	}
	if err := m.s.AddOrder(m.ctx, m.a, ordersstage.NewOrder{Code: "O-70", Genus: "pear", Variety: "Wick Amber", StockGenus: "pear",
		StockType: "course seedling", Trees: 470, DueOn: due(3, 1), Priority: 3, Buyer: "Winter course"}); err != nil {
		return err
	}
	m.at(2027, time.February, 22, 16, 0)
	b, err := m.cleft("O-70", 560)
	if err != nil {
		return fmt.Errorf("the course's batch: %w", err)
	}
	if err := m.s.AddClass(m.ctx, m.a, learners.NewClass{Code: "K-1", Name: "Course of 23 February", Place: "potting shed", Batch: b,
		Day: Day, Learners: 28, Names: []string{"Edony", "Harl", "Isolt", "Bram", "Quill", "Sunniva"}, Cans: 20, Warmups: 6, BarPct: 80,
		BarRun: 10}); err != nil {
		return err
	}
	m.at(2027, time.February, 23, 12, 30)
	if err := m.s.OpenClass(m.ctx, m.a, "K-1", true, learners.Tools{"Knives": 28, "Loose blades": 60,
		"Secateurs and cleft tools": 7}); err != nil {
		return err
	}
	m.at(2027, time.February, 23, 13, 0)
	if err := m.s.BeginGrafts(m.ctx, m.a, "K-1", false); err != nil {
		return err
	}
	m.at(2027, time.February, 23, 14, 4)
	for place := 1; place <= 28; place++ {
		if err := m.learn(place); err != nil {
			return fmt.Errorf("place %d: %w", place, err)
		}
	}
	// Two supervisors at one graft.
	p, err := m.s.ClassBoard(m.ctx, "K-1")
	if err != nil {
		return err
	}
	seen := p.Seats[8].Newest
	for i, says := range []learning.Says{learning.NotFlat, learning.Right} {
		if _, err := m.s.Judge(m.ctx, m.a, fmt.Sprintf("phone %d", i+1), []learners.Look{{ID: m.uuid(), Class: "K-1", Place: 9,
			Says: string(says), Seen: seen,
			AgoMS: int64(30000 - 12000*i)}}); err != nil {
			return err
		}
	}
	for _, w := range []struct{ place, ago int }{{17, 190}, {10, 130}, {4, 40}} {
		if _, err := m.s.Judge(m.ctx, m.a, "phone 1", []learners.Look{{ID: m.uuid(), Class: "K-1", Place: w.place, Says: "waits",
			AgoMS: int64(w.ago) * 1000}}); err != nil {
			return err
		}
	}
	if err := m.s.LearnerLeft(m.ctx, m.a, "K-1", 22, false); err != nil {
		return err
	}
	if err := m.practised(); err != nil {
		return err
	}
	return m.twoPairs()
}

// twoPairs is what two cutters made the day before with a tier each behind them, and what they have
// laid ready.
func (m *maker) twoPairs() error {
	m.at(2027, time.February, 1, 9, 0)
	if err := m.s.AddOrder(m.ctx, m.a, ordersstage.NewOrder{Code: "O-71", Genus: "pear", Variety: "Wick Amber", StockGenus: "pear",
		StockType: "course seedling", Trees: 56, DueOn: due(3, 1), Priority: 3, Buyer: "own sales"}); err != nil {
		return err
	}
	m.at(2027, time.February, 22, 8, 0)
	b, err := m.cleft("O-71", 0)
	if err != nil {
		return fmt.Errorf("the pairs' batch: %w", err)
	}
	if err := m.s.MakeTags(m.ctx, m.a, b, m.s.Today(), []int64{m.ids["ansel"], m.ids["odile"]}, m.ids["tamsin"], m.ids["pim"]); err != nil {
		return err
	}
	ts, err := m.tags(b)
	if err != nil {
		return err
	}
	for i, t := range ts {
		if i >= 2 {
			break
		}
		m.at(2027, time.February, 22, 10+i, 30)
		if err := m.graft(t, t.Planned, 58+8*float64(i), 0, true); err != nil {
			return err
		}
	}
	m.at(2027, time.February, 23, 14, 5)
	return nil
}

// cleft makes a batch of an order by the one-sided cleft alone.
func (m *maker) cleft(order string, grafts int) (string, error) {
	asked := match.Asked{Grafts: grafts, Ways: []string{"cleft-one-side"}}
	w, err := m.s.Match(m.ctx, order, asked)
	if err != nil {
		return "", err
	}
	return m.s.MakeBatch(m.ctx, m.a, order, match.MakeBatch{Asked: asked, Print: w.Print, Once: m.uuid(), Tie: "film",
		Healing: "cold callus"})
}

// learn lets the learner of a place graft for an hour: each first try is right more often than the
// ones before.
func (m *maker) learn(place int) error {
	level, gain := -0.7+0.9*m.r.NormFloat64(), 0.32+0.25*m.r.NormFloat64()
	each := 170 + 130*m.r.Float64() // seconds a graft
	wrong := []learning.Says{learning.SetOver, learning.SetOver, learning.NotFlat, learning.NotFlat, learning.Touched,
		learning.UpsideDown, learning.WoodSpoilt}
	var looks []learners.Look
	add := func(says learning.Says, ago float64) {
		looks = append(looks, learners.Look{ID: m.uuid(), Class: "K-1", Place: place, Says: string(says), AgoMS: int64(ago * 1000)})
	}
	for k := range 6 { // practice wood
		says := learning.Right
		if m.r.Float64() < 0.5 {
			says = wrong[m.r.IntN(4)]
		}
		add(says, float64(3900+(6-k)*150)+20*m.r.Float64())
	}
	ago := 3700 - each*m.r.Float64()
	for k := 1; k <= 20 && ago > 300; k++ {
		right := m.r.Float64() < 1/(1+math.Exp(-level-gain*math.Log2(float64(k))))
		if !right {
			add(wrong[m.r.IntN(len(wrong))], ago)
			ago -= 45
		}
		add(learning.Right, ago)
		ago -= each * (0.7 + 0.6*m.r.Float64())
	}
	j, err := m.s.Judge(m.ctx, m.a, "phone 1", looks)
	if err == nil && (len(j.Bad) > 0 || len(j.Safe) != len(looks)) {
		err = fmt.Errorf("%d of %d looks kept: %v", len(j.Safe), len(looks), j.Bad)
	}
	return err
}

// practised is what the newest hand cut to learn, and how she laid drawn unions by eye.
func (m *maker) practised() error {
	tamsin := m.ids["tamsin"]
	for i, x := range []struct{ day, cuts, flat, fit int }{{11, 30, 9, 6}, {12, 40, 19, 14}, {15, 40, 24, 22}, {16, 50, 37, 31}, {18, 40,
		33, 30}} {
		m.at(2027, time.January, x.day, 15, i)
		if err := m.s.KeepSheet(m.ctx, m.a, store.PracticeSheet{ID: m.uuid(), PersonID: tamsin, On: m.s.Today(),
			Technique: "whip-and-tongue", Cuts: x.cuts,
			Flat: x.flat, Fit: x.fit, Wood: "willow"}); err != nil {
			return err
		}
	}
	m.at(2027, time.February, 23, 14, 5)
	return nil
}
