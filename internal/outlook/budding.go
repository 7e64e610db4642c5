package outlook

import (
	"cmp"
	"slices"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
)

// Budding is a species in its turn through the budding weeks.
type Budding struct {
	Genus, Technique string
	Orders           []string
	ToGo             int // stocks to bud
	Window           technique.Window
	PerDay           float64   // what the crew makes of it a day, at their own pace
	Days             float64   // that it takes the crew
	From, Done       time.Time // when the crew comes to it and is through, one species after the other
	Late             bool      // that is after its window shuts
}

// BuddingInTurn puts the species that are budded with green wood in their turn: as
// their windows shut or, by the house's way, in the house's own order. The crew goes
// from one to the next, never before its window opens.
func (r *OrderSizer) BuddingInTurn(ls []OrderLine) []Budding {
	hs := HandsOf(r.F)
	var out []Budding
	for _, l := range ls {
		t := l.Need.By.Technique
		if !l.Need.Summer || l.ToGo == 0 {
			continue
		}
		i := slices.IndexFunc(out, func(b Budding) bool { return b.Genus == l.Order.Genus && b.Technique == t.Name })
		if i < 0 {
			_, cal := r.Know(l.Order.Genus, l.Order.StockGenus)
			b := Budding{Genus: l.Order.Genus, Technique: t.Name, PerDay: perDay(hs, t)}
			for _, w := range t.Windows(cal, []string{season.RipeGreen}, technique.InRow) {
				if w.To.After(r.F.Today) && (b.Window.To.IsZero() || w.To.Before(b.Window.To)) {
					b.Window = w
				}
			}
			if b.Window.To.IsZero() {
				continue
			}
			i, out = len(out), append(out, b)
		}
		out[i].Orders, out[i].ToGo = append(out[i].Orders, l.Order.Code), out[i].ToGo+l.ToGo
	}
	if !r.F.Answers().FixedOrder() { // else as the orders come: by day and priority
		slices.SortStableFunc(out, func(a, b Budding) int {
			return cmp.Or(a.Window.To.Compare(b.Window.To), cmp.Compare(a.Genus,
				b.Genus))
		})
	}
	free := r.F.Today
	for i := range out {
		b := &out[i]
		b.From = free
		if b.Window.From.After(b.From) {
			b.From = b.Window.From
		}
		if b.PerDay > 0 {
			b.Days = float64(b.ToGo) / b.PerDay
			b.Done = b.From.AddDate(0, 0, int(b.Days*7/5)) // five days a week
			b.Late = !b.Done.Before(b.Window.To)
			free = b.Done
		}
	}
	return out
}

// perDay is how many grafts of a technique those who know it make on a day of a
// week as it is.
func perDay(hs []Hand, t technique.Technique) float64 {
	hours := 0.0
	for _, h := range hs {
		if h.Knows[t.Key] {
			hours += h.WeekHours() / 5 * h.Speed.Mean
		}
	}
	return hours * t.PerHour()
}
