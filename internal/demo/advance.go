package demo

import (
	"context"
	"fmt"
	"hash/fnv"
	"log/slog"
	"math/rand/v2"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/nursery"
	"unionknot/internal/nursery/growon"
	"unionknot/internal/nursery/heal"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/stages"
	"unionknot/internal/nursery/wood"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/standin"
	"unionknot/internal/store"
)

// Advance plays the demo's house on to a later day: weather and readings come in, what
// is ready is grafted, what is due is mostly done, some of it late and some not at
// all, trees are lost, and in autumn sold.
func Advance(ctx context.Context, db *store.DB, log *slog.Logger, to time.Time) error {
	s, err := stages.New(ctx, db, log)
	if err != nil {
		return err
	}
	h, err := db.Q().House(ctx)
	if err != nil {
		return err
	}
	if h.DemoDay == nil {
		return fmt.Errorf("this house is no demo: its day is today")
	}
	if !to.After(*h.DemoDay) {
		return nil
	}
	m := &maker{ctx: ctx, db: db, s: s, r: rand.New(rand.NewPCG(1887, uint64(h.DemoDay.Unix()))), ids: map[string]int64{}}
	people, err := db.Q().People(ctx)
	if err != nil {
		return err
	}
	for _, p := range people {
		m.ids[p.SignIn] = p.ID
		if p.SignIn == "maud" {
			m.a = nursery.Actor{ID: p.ID, Name: p.Name, Role: nursery.Role(p.Role)}
		}
	}
	last := *h.DemoDay
	for day := last.AddDate(0, 0, 3); ; day = day.AddDate(0, 0, 7) {
		if day.After(to) {
			day = to
		}
		if err := m.week(last, day); err != nil {
			return fmt.Errorf("demo on %s: %w", day.Format(time.DateOnly), err)
		}
		if last = day; !day.Before(to) {
			break
		}
	}
	return db.Q().SetDemoDay(ctx, to)
}

// week plays the days after one up to another.
func (m *maker) week(from, to time.Time) error {
	m.at(to.Year(), to.Month(), to.Day(), 14, 5)
	if err := m.air(from, to); err != nil {
		return err
	}
	m.at(to.Year(), to.Month(), to.Day(), 9, 0)
	if err := m.bench(to); err != nil {
		return fmt.Errorf("the bench: %w", err)
	}
	m.at(to.Year(), to.Month(), to.Day(), 14, 5)
	return m.nurse()
}

// air keeps the weather and what the loggers read.
func (m *maker) air(from, to time.Time) error {
	normals, err := m.s.UsualTemperatures(m.ctx)
	if err != nil {
		return err
	}
	feed := standin.WeatherFeed{Normals: normals}
	if _, err := m.s.AddWeather(m.ctx, m.a, feed.Days(from.AddDate(0, 0, 1), to), "simulated feed"); err != nil {
		return err
	}
	ps, err := m.db.Q().ColdPlaces(m.ctx)
	if err != nil {
		return err
	}
	for _, p := range ps {
		l := standin.StoreLogger{SetC: p.SetC, Every: 6 * time.Hour}
		start := time.Date(from.Year(), from.Month(), from.Day(), 15, 0, 0, 0, time.Local)
		if _, err := m.s.Simulate(m.ctx, m.a, p.Name, l.Readings(start, m.s.Now())); err != nil {
			return err
		}
	}
	return nil
}

// bench ties what is on tags, and grafts what is ready. Roses are budded in August.
func (m *maker) bench(day time.Time) error {
	bs, err := m.db.Q().UnsplitBatches(m.ctx)
	if err != nil {
		return err
	}
	for _, b := range bs {
		if err := m.s.MakeTags(m.ctx, m.a, b.Code, day, []int64{m.ids["ansel"], m.ids["odile"], m.ids["pim"]}); err != nil {
			return err
		}
	}
	if day.Month() == time.August && day.Day() < 15 {
		if err := m.roses(day); err != nil {
			return err
		}
	}
	ls, err := m.s.Orders(m.ctx)
	if err != nil {
		return err
	}
	for _, l := range ls {
		if !l.Ready() || day.Month() > time.April && !l.Need.Summer {
			continue
		}
		p, err := m.s.Match(m.ctx, l.Order.Code, match.Asked{})
		if err != nil {
			return err
		}
		if p.Weave.Paired == 0 {
			continue
		}
		code, err := m.s.MakeBatch(m.ctx, m.a, l.Order.Code, match.MakeBatch{Asked: p.Asked, Print: p.Print, Once: m.uuid(), Tie: p.Tie,
			Healing: p.Healing})
		if err != nil {
			return fmt.Errorf("order %s: %w", l.Order.Code, err)
		}
		if err := m.s.MakeTags(m.ctx, m.a, code, day, []int64{m.ids["ansel"], m.ids["odile"], m.ids["pim"]}); err != nil {
			return err
		}
	}
	open, err := m.db.Q().Tags(m.ctx, store.Which{Open: true, All: true})
	if err != nil {
		return err
	}
	for _, t := range open {
		if t.Planned > t.Tied {
			if err := m.graft(t, t.Planned-t.Tied, 36, time.Hour, true); err != nil {
				return fmt.Errorf("tag %s: %w", t.Code, err)
			}
		}
		place := map[string]string{"cold callus": "callus box 3", "warm union": "warm bed", "pot at once": "house 2"}[t.Healing]
		if place == "" {
			place = t.LotPlace
		}
		if err := m.s.SetHealPlace(m.ctx, m.a, []string{t.Code}, place); err != nil {
			return err
		}
	}
	return nil
}

// roses cuts ripe shoots for the rose order.
func (m *maker) roses(day time.Time) error {
	err := m.s.AddBundle(m.ctx, m.a, wood.NewBundle{Code: fmt.Sprintf("W-R%02d", day.Day()), Plant: "M-12", State: "ripe green",
		CutOn: m.s.Today(),
		Place: "damp bag", Sticks: 190, LengthMM: 300, BaseMM: 6.4, TipMM: 4.2, InternodeMM: 24, BlindPct: 6, BudsPerPiece: 1, Whole: true})
	return err
}

// chance is a fixed one for a tag and a step, so that what is left undone stays so.
func chance(code string, k aftercare.Knot) float64 {
	h := fnv.New32a()
	fmt.Fprint(h, code, k.Name, k.N)
	return float64(h.Sum32()%1000) / 1000
}

// Shares of what is due that is left undone, and of trees lost at a step.
const (
	leftUndone = 0.05
	lostAtStep = 0.012
)

// nurse does most of what is due, and counts.
func (m *maker) nurse() error {
	f, err := m.s.Facts(m.ctx, snapshot.Growing, snapshot.Places)
	if err != nil {
		return err
	}
	n := outlook.NursingOf(f)
	acts := map[aftercare.Name]*growon.Act{}
	var order []aftercare.Name
	for _, g := range n.All() {
		for _, k := range n.Asked(g) {
			late := aftercare.Day(0)
			if chance(g.Code, k) < 0.15 {
				late = 12 // some are behind
			}
			if k.Best+late > n.Today || chance(g.Code, k) < leftUndone {
				continue
			}
			if look := aftercare.LookOf(k.Name); look != "" {
				if err := m.look(g, look); err != nil {
					return fmt.Errorf("%s, %s: %w", g.Code, look, err)
				}
				continue
			}
			if k.Name == aftercare.FitToSell {
				if err := m.sell(g, n.Today, k); err != nil {
					return err
				}
				continue
			}
			if acts[k.Name] == nil {
				acts[k.Name] = &growon.Act{ID: m.uuid(), Kind: growon.Done, Knot: k.Name.String()}
				order = append(order, k.Name)
			}
			a := acts[k.Name]
			a.Items = append(a.Items, growon.Item{Code: g.Code, N: k.N})
			if m.r.Float64() < lostAtStep*3 {
				cause := []string{"knocked or broken", "dried out", "suckers took over", "animals"}[m.r.IntN(4)]
				if err := m.act(growon.Act{ID: m.uuid(), Kind: growon.Lost, N: 1, Cause: cause,
					Items: []growon.Item{{Code: g.Code}}}); err != nil {
					return err
				}
			}
		}
	}
	for _, k := range order {
		a := acts[k]
		switch k {
		case aftercare.Pot:
			a.Place = "house 2"
		case aftercare.Lift:
			a.Place = "lifting shed"
		}
		if err := m.act(*a); err != nil {
			return fmt.Errorf("%s: %w", k, err)
		}
	}
	return nil
}

func (m *maker) act(a growon.Act) error {
	done, err := m.s.Do(m.ctx, m.a, []growon.Act{a})
	if err == nil && len(done.Refused) > 0 && !done.Refused[0].Ask {
		return nil // the last tree of a tag was lost in the same week
	}
	return err
}

// look counts a tag as its take has it.
func (m *maker) look(g outlook.Growing, look string) error {
	live := 0
	share := 0.93
	if look == "first look" {
		share = 0.88
	}
	for range g.Standing {
		if m.r.Float64() < share {
			live++
		}
	}
	c := heal.NewCount{ID: m.uuid(), Look: look, Taken: live, Dead: g.Standing - live, Causes: map[string]int{}}
	if c.Dead > 0 {
		c.Causes[[]string{"dried out", "cambium missed", "stock died", "not known"}[m.r.IntN(4)]] = c.Dead
	}
	if c.Taken+c.Dead == 0 {
		return nil
	}
	return m.s.KeepCount(m.ctx, m.a, g.Code, c)
}

// sell lets half of what is fit go.
func (m *maker) sell(g outlook.Growing, today aftercare.Day, k aftercare.Knot) error {
	if today < k.From || g.Standing < 2 || chance(g.Code, k) < 0.5 {
		return nil
	}
	return m.act(growon.Act{ID: m.uuid(), Kind: growon.Sold, N: g.Standing / 2,
		Items: []growon.Item{{Code: g.Code}}})
}
