package demo

import (
	"fmt"
	"math"
	"time"

	"unionknot/internal/nursery"
	"unionknot/internal/nursery/bench"
	"unionknot/internal/nursery/days"
	"unionknot/internal/nursery/heal"
	"unionknot/internal/nursery/match"
	"unionknot/internal/nursery/places"
	"unionknot/internal/nursery/season"
	"unionknot/internal/standin"
	"unionknot/internal/store"
)

func (m *maker) uuid() string {
	a, b := m.r.Uint64(), m.r.Uint64()
	a, b = a&^0xf000|0x4000, b&^(3<<62)|2<<62
	return fmt.Sprintf("%08x-%04x-%04x-%04x-%012x", a>>32, a>>16&0xffff, a&0xffff, b>>48, b&0xffffffffffff)
}

// makeBatch makes the batch of an order at the hour the clock stands at, and
// splits it into tags when hands are given.
func (m *maker) makeBatch(order, tie, healing string, grafts int, day time.Time, hands ...string) (string, error) {
	asked := match.Asked{Grafts: grafts}
	p, err := m.s.Match(m.ctx, order, asked)
	if err != nil {
		return "", err
	}
	code, err := m.s.MakeBatch(m.ctx, m.a, order, match.MakeBatch{Asked: asked, Print: p.Print, Once: m.uuid(), Tie: tie, Healing: healing})
	if err != nil || len(hands) == 0 {
		return code, err
	}
	ids := make([]int64, len(hands))
	for i, h := range hands {
		ids[i] = m.ids[h]
	}
	return code, m.s.MakeTags(m.ctx, m.a, code, day, ids)
}

func (m *maker) tags(batch string) ([]store.Tag, error) {
	p, err := m.s.Batch(m.ctx, batch)
	return p.Tags, err
}

// graft taps a tag through: n tied in ones and fives, a slip here and there,
// at perHour, ending ago before the clock; then finishes it if told.
func (m *maker) graft(t store.Tag, n int, perHour float64, ago time.Duration, finish bool) error {
	var taps []bench.Tap
	step := time.Duration(float64(time.Hour) / perHour)
	at := ago + time.Duration(n)*step
	add := func(kind string, k int) {
		taps = append(taps, bench.Tap{ID: m.uuid(), Kind: kind, N: k, AgoMS: at.Milliseconds()})
	}
	add("wiped", 1)
	for done := 0; done < n; {
		k := 1
		if m.r.IntN(3) == 0 && n-done >= 5 {
			k = 5
		}
		at -= time.Duration(k) * step
		switch m.r.IntN(40) { // a slip comes before the graft is tied
		case 0:
			add("spoiled wood", 1)
		case 1:
			add("dropped", 1)
		case 2:
			add("spoiled stock", 1)
		}
		add("tied", k)
		done += k
	}
	if finish {
		at -= time.Minute
		if at < 0 {
			at = 0
		}
		add("finish", 1)
	}
	_, err := m.s.Tap(m.ctx, nursery.Actor{ID: t.WorkerID, Name: t.Worker, Role: nursery.BenchHand}, t.Code, taps)
	return err
}

// year keeps the weather of four years and what was seen in them: a late
// spring, an early one, and this one, which began warm.
func (m *maker) year() error {
	m.at(2027, time.February, 23, 7, 30)
	normals, err := m.s.UsualTemperatures(m.ctx)
	if err != nil {
		return err
	}
	day := func(y int, mo time.Month, d int) time.Time { return time.Date(y, mo, d, 0, 0, 0, 0, time.UTC) }
	feed := standin.WeatherFeed{Normals: normals, Seasons: []standin.Trouble{
		{
			From: day(2025, 1, 5),
			To:   day(2025, 4, 1),
			ByC:  -1.6,
		}, {From: day(2026, 2, 1), To: day(2026, 4, 10), ByC: 1.2}, {From: day(2027, 1, 15), To: day(2027, 2, 23), ByC: 1.5}}}
	if _, err := m.s.AddWeather(m.ctx, m.a, feed.Days(day(2024, 7, 1), day(2027, 2, 23)), "simulated feed"); err != nil {
		return err
	}
	for _, x := range []struct {
		group, says, place string
		on                 time.Time
	}{
		{"pome", "buds swell", "row 4", day(2025, 3, 14)}, {"pome", "bark slips", "row 12", day(2025, 4, 17)},
		{"pome", "bark does not slip", "row 12", day(2025, 4, 9)},
		{"pome", "bark does not slip", "row 12", day(2025, 9, 12)}, {"pome", "bark slips", "row 12", day(2025, 9, 4)},
		{"pome", "buds swell", "row 4", day(2026, 2, 27)}, {"pome", "bark slips", "row 12", day(2026, 4, 2)},
		{"pome", "budwood ripe", "old row 6", day(2026, 7, 2)},
		{"pome", "at rest, leaves down", "old row 4", day(2026, 11, 9)}, {"pome", "buds tight", "old row 4", day(2027, 2, 22)},
		{"maple", "buds swell", "garden wall", day(2027, 2, 22)}, {"nut", "buds tight", "far bank", day(2027, 2, 20)},
	} {
		m.at(x.on.Year(), x.on.Month(), x.on.Day(), 16, 0)
		if err := m.s.NoteSeen(m.ctx, m.a, x.group, season.NewSeen{Says: x.says, On: x.on, Place: x.place}); err != nil {
			return fmt.Errorf("%s on %s: %w", x.says, x.on.Format(time.DateOnly), err)
		}
	}
	return nil
}

// weeks sets who is at the bench when, and what they know.
func (m *maker) weeks() error {
	m.at(2027, time.February, 23, 14, 5)
	bench := []string{
		"splice",
		"whip-and-tongue",
		"cleft-one-side",
		"off-centre-cleft",
		"saddle",
		"tool-cut",
		"side-veneer",
		"bark-flap",
		"chip-bud",
		"t-bud",
	}
	for _, w := range []struct {
		who   string
		knows []string
		days  []int
		hours [2]float64
	}{
		{"ansel", bench, []int{1, 2, 3, 4, 5}, [2]float64{4, 3.5}}, {"odile", bench[:9], []int{1, 2, 3, 4, 5}, [2]float64{4, 3.5}},
		{"pim", bench[:6], []int{1, 2, 3, 4}, [2]float64{4, 3}}, {"tamsin", bench[:2], []int{2, 3, 4, 5, 6}, [2]float64{3.5, 3}},
		{"maud", bench, []int{2, 4}, [2]float64{2, 0}},
	} {
		week := days.Week{Knows: w.knows}
		for _, d := range w.days {
			week.Hours[d][1], week.Hours[d][2] = w.hours[0], w.hours[1]
		}
		if err := m.s.SetWeek(m.ctx, m.a, m.ids[w.who], week); err != nil {
			return fmt.Errorf("the week of %s: %w", w.who, err)
		}
	}
	if err := m.knives(); err != nil {
		return err
	}
	return m.s.AddAway(
		m.ctx,
		m.a,
		m.ids["odile"],
		time.Date(2027, 3, 1, 0, 0, 0, 0, time.UTC),
		time.Date(2027, 3, 3, 0, 0, 0, 0, time.UTC),
		"a wedding",
	)
}

// knives tells the house's tools apart, and says who cuts with which.
func (m *maker) knives() error {
	for _, name := range []string{"knife 1", "knife 2", "knife 3", "tool cutter"} {
		if err := m.s.AddTool(m.ctx, m.a, name); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
	}
	ts, err := m.s.Tools(m.ctx)
	if err != nil {
		return err
	}
	for i, who := range []string{"ansel", "odile", "pim"} {
		if err := m.s.HoldTool(m.ctx, m.a, m.ids[who], ts.Tools[i].ID); err != nil {
			return err
		}
	}
	return nil
}

// stores keeps what the loggers read: an even winter in one store and a warm
// week in the other, where a thermostat stuck.
func (m *maker) stores() error {
	m.at(2027, time.January, 7, 8, 0)
	warm := standin.Trouble{
		From: time.Date(2027, time.February, 10, 15, 0, 0, 0, time.Local),
		To:   time.Date(2027, time.February, 16, 9, 0, 0, 0, time.Local),
		ByC:  7.2,
	}
	for name, l := range map[string]standin.StoreLogger{"cold store 1": {SetC: 1.2, Trouble: []standin.Trouble{warm}},
		"cold store 2": {SetC: 1.6}} {
		m.at(2027, time.January, 7, 8, 0)
		if err := m.s.AddColdPlace(m.ctx, m.a, places.NewColdPlace{Name: name, SetC: 1, LowC: 0, HighC: 4}); err != nil {
			return err
		}
		now := time.Date(2027, time.February, 23, 14, 1, 0, 0, time.Local)
		m.at(2027, time.February, 23, 14, 1)
		if _, err := m.s.Simulate(m.ctx, m.a, name, l.Readings(time.Date(2027, time.January, 7, 12, 0, 0, 0, time.Local),
			now)); err != nil {
			return err
		}
		for _, d := range []int{8, 22, 34} { // days after the new year
			m.at(2027, time.January, d, 8, 30)
			if err := m.s.LookAtCold(m.ctx, m.a, name, places.NewLook{Found: "sound", Note: "shavings damp"}); err != nil {
				return err
			}
		}
	}
	return nil
}

// healing keeps what the loggers of the boxes read: one ran warm for a week, and its
// grafts callused sooner.
func (m *maker) healing() error {
	for _, x := range []struct {
		name           string
		set, low, high float64
		kind           string
		trouble        []standin.Trouble
	}{
		{"callus box 1", 4, 2, 6, places.Heal, nil},
		{"callus box 2", 4, 2, 6, places.Heal, []standin.Trouble{{From: time.Date(2027, time.February, 9, 12, 0, 0, 0, time.Local),
			To: time.Date(2027, time.February, 16, 9, 0, 0, 0, time.Local), ByC: 6.5}}},
		{"callus box 3", 4, 2, 6, places.Heal, nil},
		{"warm bed", 25.5, 24, 27, places.Heal, nil},
		{"house 2", 12, 6, 24, places.Grow, nil},
	} {
		m.at(2027, time.January, 20, 8, 0)
		if err := m.s.AddColdPlace(m.ctx, m.a, places.NewColdPlace{Name: x.name, SetC: x.set, LowC: x.low, HighC: x.high,
			Kind: x.kind}); err != nil {
			return err
		}
		m.at(2027, time.February, 23, 14, 1)
		l := standin.StoreLogger{SetC: x.set, Every: 2 * time.Hour, Trouble: x.trouble}
		if _, err := m.s.Simulate(m.ctx, m.a, x.name, l.Readings(time.Date(2027, time.January, 22, 12, 0, 0, 0, time.Local),
			time.Date(2027, time.February, 23, 14, 1, 0, 0, time.Local))); err != nil {
			return err
		}
	}
	return nil
}

// batches makes this season's batches, one at every step of the way.
func (m *maker) batches() error {
	day := func(month time.Month, d int) time.Time { return time.Date(2027, month, d, 0, 0, 0, 0, time.UTC) }
	finished := func(order, tie, healing string, grafts int, d time.Time, place string, hands ...string) ([]store.Tag, error) {
		m.at(d.Year(), d.Month(), d.Day(), 7, 30)
		b, err := m.makeBatch(order, tie, healing, grafts, d, hands...)
		if err != nil {
			return nil, err
		}
		ts, err := m.tags(b)
		if err != nil {
			return nil, err
		}
		for i, t := range ts {
			m.at(d.Year(), d.Month(), d.Day(), 10+i%6, 40)
			if err := m.graft(t, t.Planned-m.r.IntN(2), 34+6*m.r.Float64(), 0, true); err != nil {
				return nil, err
			}
			if err := m.s.SetHealPlace(m.ctx, m.a, []string{t.Code}, place); err != nil {
				return nil, err
			}
		}
		return ts, nil
	}
	// Made in January and counted since.
	counted, err := finished("O-42", "film", "cold callus", 0, day(1, 27), "callus box 1", "ansel", "odile", "pim")
	if err != nil {
		return fmt.Errorf("O-42: %w", err)
	}
	m.at(2027, time.February, 21, 9, 0)
	for i, t := range counted {
		if i == len(counted)-1 {
			break // one is left to count
		}
		if err := m.count(t, 0.9, "first look", map[string]float64{"dried out": 0.5, "cambium missed": 0.3, "not known": 0.2}); err != nil {
			return err
		}
	}
	// Grafted early in February: the first look is due.
	if _, err := finished("O-44", "rubber", "cold callus", 0, day(2, 3), "callus box 2", "ansel", "tamsin", "odile"); err != nil {
		return fmt.Errorf("O-44: %w", err)
	}
	// Chestnuts in the warm union box, and medlars: healing.
	if _, err := finished("O-46", "film", "warm union", 0, day(2, 16), "warm bed", "odile", "pim"); err != nil {
		return fmt.Errorf("O-46: %w", err)
	}
	if _, err := finished("O-45", "film", "cold callus", 0, day(2, 18), "callus box 3", "ansel", "tamsin"); err != nil {
		return fmt.Errorf("O-45: %w", err)
	}
	return m.live(day(2, 23))
}

// live is the demo day itself: two hands at work, tags laid ready, and a
// batch still to be shared out.
func (m *maker) live(today time.Time) error {
	m.at(2027, time.February, 22, 16, 0)
	if err := m.s.KeepAmiss(m.ctx, m.a, "callus box 2", []string{"labels gone"}); err != nil {
		return err
	}
	b, err := m.makeBatch("O-41", "rubber", "cold callus", 0, today, "ansel", "odile", "tamsin")
	if err != nil {
		return fmt.Errorf("O-41: %w", err)
	}
	ts, err := m.tags(b)
	if err != nil {
		return err
	}
	m.at(2027, time.February, 23, 14, 5)
	done := map[int64]int{}
	for _, t := range ts {
		switch k := done[t.WorkerID]; {
		case t.WorkerID == m.ids["ansel"] && k == 0, t.WorkerID == m.ids["odile"] && k == 0:
			if err := m.graft(t, t.Planned, 38, 65*time.Minute, true); err != nil {
				return err
			}
		case t.WorkerID == m.ids["ansel"] && k == 1:
			if err := m.graft(t, t.Planned*3/4, 37, time.Minute, false); err != nil {
				return err
			}
		case t.WorkerID == m.ids["odile"] && k == 1:
			if err := m.graft(t, t.Planned/3, 31, 2*time.Minute, false); err != nil {
				return err
			}
		case t.WorkerID == m.ids["tamsin"] && k == 0:
			if err := m.graft(t, t.Planned/2, 18, time.Minute, false); err != nil {
				return err
			}
		}
		done[t.WorkerID]++
	}
	if _, err := m.makeBatch("O-43", "film", "cold callus", 0, today); err != nil {
		return fmt.Errorf("O-43: %w", err)
	}
	return nil
}

// count looks at a tag: about share of it took, the rest dead of causes.
func (m *maker) count(t store.Tag, share float64, look string, causes map[string]float64) error {
	p, err := m.s.Count(m.ctx, t.Code, look)
	if err != nil {
		return err
	}
	n := heal.NewCount{ID: m.uuid(), Look: look, Causes: map[string]int{}}
	for range p.Tag.Tied {
		switch x := m.r.Float64(); {
		case x < share:
			n.Taken++
		case x < share+0.02:
			n.Doubtful++
		default:
			n.Dead++
		}
	}
	left := n.Dead
	for _, c := range []string{"dried out", "cambium missed", "not known"} {
		k := min(left, int(math.Round(causes[c]*float64(n.Dead))))
		if k > 0 {
			n.Causes[c] = k
			left -= k
		}
	}
	return m.s.KeepCount(m.ctx, m.a, t.Code, n)
}
