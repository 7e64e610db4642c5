package outlook

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/snapshot"
	"unionknot/internal/words"
)

// Kind is which of an order's means a Bar is.
type Kind string

// The means of an order.
const (
	KindWood    Kind = "wood"
	KindStock   Kind = "stock"
	KindWorkers Kind = "workers"
	KindWindow  Kind = "window"
)

// Bar is one of an order's means: what it has of what it wants.
type Bar struct {
	Kind       Kind
	Name       string
	Have, Want float64
	Says       string
	From       time.Time // it is had only from this day on; zero: it is there
	Working    working.Working
}

// Lack is what is missing.
func (b Bar) Lack() float64 { return math.Max(0, b.Want-b.Have) }

// Means are what an order needs to be grafted: wood, stock, hands, and a
// season in which it can be done. Each counts what is left of it by the orders
// that come first.
type Means struct {
	Wood, Stock, Hands, Window Bar
}

// Bars are the means in order; none where nothing is to be made.
func (m Means) Bars() []Bar {
	if m.Wood.Name == "" {
		return nil
	}
	return []Bar{m.Wood, m.Stock, m.Hands, m.Window}
}

// Lacking are those that do not suffice.
func (m Means) Lacking() []Bar {
	var out []Bar
	for _, b := range m.Bars() {
		if b.Lack() > 0 {
			out = append(out, b)
		}
	}
	return out
}

// rankOrders puts orders in the order in which they may draw on what is there.
func rankOrders(ls []OrderLine) []int {
	at := make([]int, len(ls))
	for i := range at {
		at[i] = i
	}
	slices.SortStableFunc(at, func(a, b int) int {
		x, y := ls[a].Order, ls[b].Order
		return cmp.Or(x.Priority-y.Priority, x.DueOn.Compare(y.DueOn), cmp.Compare(x.Code, y.Code))
	})
	return at
}

// drawn is what the orders that come first have taken.
type drawn struct {
	wood, stock map[int64]int
	by          map[string]string // who took of a pile, for people to read
	hours       float64
}

// openWork adds up the grafts and buds that batches still have to make, by
// technique: what is left on open tags, and what is on no tag yet.
func openWork(f *snapshot.Snapshot) map[string]float64 {
	out := map[string]float64{}
	for _, t := range f.OpenTags() {
		out[t.Technique] += float64(t.Joins(max(0, t.Planned-t.Tied)))
	}
	for _, r := range f.Rest {
		out[r.Technique] += float64(r.N * r.Buds)
	}
	return out
}

// Means works out the four bars of every order that has grafts to go, and with
// them how it stands: what suffices of stock and wood may lack workers or days.
func (r *OrderSizer) Means(ls []OrderLine) {
	f := r.F
	hs := HandsOf(f)
	d := drawn{wood: map[int64]int{}, stock: map[int64]int{}, by: map[string]string{}}
	open := openWork(f)
	for _, t := range f.Techniques {
		d.hours += open[t.Key] / t.RatePerHour
	}
	spared := map[string]float64{}
	for _, i := range rankOrders(ls) {
		l := &ls[i]
		if l.ToGo == 0 || l.Need.Missing != "" || l.Waits() {
			continue
		}
		_, cal := r.Know(l.Order.Genus, l.Order.StockGenus)
		t := l.Need.By.Technique
		st := r.StandingFor(t, l.Order)
		from := f.Today
		if l.Need.Summer {
			if st = l.Need.Standing; st.Verdict == technique.Shut && !st.Opens.IsZero() {
				from = st.Opens
				st = t.Standing(cal, []string{season.RipeGreen}, technique.InRow, from)
			}
		}
		key := fmt.Sprint(t.Key, st.Until.Unix())
		if _, ok := spared[key]; !ok && st.Verdict != technique.Shut {
			spared[key] = spare(hs, t, from, st.Until, f.Today, oClock(f.At))
		}
		l.Means = d.draw(*l, t, st, spared[key], from, r.Beds.Outs(l.Order))
		if l.Need.Summer {
			l.Means.summer(*l, from, f.Today)
		}
		if lacks := l.Means.Lacking(); l.Stand.State == supply.Ready && len(lacks) > 0 {
			l.Stand.State, l.Stand.Lacks = supply.Lacking, nil
			for _, b := range lacks {
				l.Stand.Lacks = append(l.Stand.Lacks, string(b.Kind))
			}
		}
	}
}

// draw gives an order its share of what is left, and takes it off.
func (d *drawn) draw(l OrderLine, t technique.Technique, st technique.Standing, spared float64, today time.Time, outsOf []Out) Means {
	o, want := l.Order, float64(l.ToGo)
	each := t.Pieces()
	could := max(0, min(l.Weavable.Stems-d.stock[o.StockTypeID], (l.Weavable.Pieces-d.wood[o.VarietyID])/each))
	outs := map[bool][]Out{}
	for _, x := range outsOf {
		outs[x.Wood] = append(outs[x.Wood], x)
	}
	pile := func(is Kind, name, kind string, all, serves int, id int64, taken map[int64]int) Bar {
		each := each
		if is == KindStock {
			each = 1
		}
		left := max(0, serves-taken[id]) / each
		key := fmt.Sprint(kind, id)
		b := Bar{Kind: is, Name: name, Have: float64(left), Want: want, Says: words.Have(float64(left), want)}
		inputs := []working.Input{{Name: "Free", Value: fmt.Sprintf("%d %s", all, kind), Source: working.OwnRecords}}
		kept := 0
		for _, x := range outs[is == KindWood] {
			who, why := "", ""
			if x.LetIn != nil {
				who, why = x.LetIn.Who, x.LetIn.Why
			} else {
				kept += x.N
			}
			inputs = append(inputs, working.Input{Name: x.Code, Value: words.PileOut(x.N, kind, words.Gates(x.Gates, x.Found, x.KeepBy),
				who, why),
				Source: working.Measured})
		}
		if kept > 0 {
			b.Says += words.KeptOut(kept)
		}
		unmeasured := 0
		if is == KindStock && serves < all {
			unmeasured = l.Weavable.Unmeasured
		}
		if unmeasured > 0 && left < l.ToGo {
			b.Says += words.NotMeasured(unmeasured)
			inputs = append(inputs, working.Input{Name: "Not measured", Value: fmt.Sprintf("%d %s", unmeasured, kind),
				Source: working.Measured})
		}
		if n := all - kept - serves - unmeasured; n > 0 {
			inputs = append(inputs, working.Input{Name: "Fit nothing", Value: words.FitNothing(n, kind), Source: working.Measured})
		}
		if n := taken[id]; n > 0 {
			b.Says += words.ComeFirst(d.by[key])
			inputs = append(
				inputs,
				working.Input{
					Name:   words.TakenByOrdersThatCome,
					Value:  fmt.Sprintf(words.TakenBy, n, d.by[key]),
					Source: working.OwnRecords,
				},
			)
		}
		b.Working = working.Working{Title: name + " for order " + o.Code, Answer: b.Says, Rule: words.AnOrdersMeans,
			Says:   words.PileMeans,
			Inputs: append(inputs, working.Input{Name: words.GraftsToGo, Value: fmt.Sprint(l.ToGo), Source: working.OwnRecords})}
		if each > 1 {
			b.Working.Inputs = append(b.Working.Inputs,
				working.Input{Name: words.BudsAStock, Value: words.ForStocks(each, serves, left), Source: working.HouseWay})
		}
		draws := min(left, l.ToGo)
		if !l.Need.Summer { // it takes no more wood than it has stems for, nor stems than wood
			draws = min(draws, could)
		}
		taken[id] += draws * each
		if draws > 0 {
			if d.by[key] != "" {
				d.by[key] += ", "
			}
			d.by[key] += o.Code
		}
		return b
	}
	m := Means{
		Wood:  pile(KindWood, "Wood", "pieces", l.Weavable.WoodFree, l.Weavable.Pieces, o.VarietyID, d.wood),
		Stock: pile(KindStock, "Stock", "stems", l.Weavable.StemsFree, l.Weavable.Stems, o.StockTypeID, d.stock),
	}
	need := want / t.PerHour()
	before := d.hours
	have := math.Max(0, spared-before)
	m.Hands = Bar{Kind: KindWorkers, Name: "Workers", Have: have, Want: need, Says: words.HaveHours(have, need)}
	until := words.WhileItIsOpen
	if st.Verdict != technique.Shut {
		until = "until " + season.Say(st.Until)
	}
	m.Hands.Working = working.Working{Title: words.WorkersForOrder + o.Code, Answer: m.Hands.Says, Rule: words.AnOrdersMeans,
		Says: words.HoursAtTheHousesRates,
		Inputs: []working.Input{
			{Name: "Needed", Value: fmt.Sprintf(words.NGraftsAtNAn, l.ToGo, t.PerHour()), Source: working.HouseDefault},
			{Name: words.HoursOfThoseWhoKnow + t.Name, Value: fmt.Sprintf("%.0f %s", spared, until), Source: working.OwnRecords},
			{Name: words.OpenBatchesAndOrdersThat, Value: fmt.Sprintf("%.0f hours", before), Source: working.OwnRecords}}}
	d.hours += need
	m.Window = window(l, t, st, need, spared, today)
	return m
}

// summer says of an order that is budded with the coming summer's wood that none
// is lacking yet, and when its window opens.
func (m *Means) summer(l OrderLine, opens, today time.Time) {
	m.Wood.Have, m.Wood.Says = m.Wood.Want, words.CutRipeFrom+season.Say(opens)
	m.Wood.Working.Answer, m.Wood.From = m.Wood.Says, opens
	m.Wood.Working.Says = words.ThisGenusIsBuddedIn
	if opens.After(today) && m.Window.Have > 0 {
		m.Window.Says = fmt.Sprintf(words.OpensXThenNDays, season.Say(opens), m.Window.Have)
		m.Window.Working.Answer, m.Window.From = m.Window.Says, opens
	}
}

// window is the bar of days: how many are left to do it in, and how many the
// hands need if they did nothing else.
func window(l OrderLine, t technique.Technique, st technique.Standing, need, spared float64, today time.Time) Bar {
	b := Bar{Kind: KindWindow, Name: "Window", Want: 1}
	if st.Verdict == technique.Shut {
		b.Says = t.Name + ": " + words.ShutSays(st)
	} else {
		left := float64(season.Days(today, st.Until) + 1)
		b.Have, b.Says = left, fmt.Sprintf(words.DaysAndWhy, left, words.Standing(st))
		if spared > 0 {
			b.Want = math.Max(1, math.Ceil(need/(spared/left)))
		}
	}
	b.Working = working.Working{Title: words.WindowForOrder + l.Order.Code, Answer: b.Says, Rule: "windows",
		Says: words.TheDaysLeftInWhich,
		Inputs: []working.Input{
			{Name: "Technique", Value: t.Name + words.TheBestExpectedTakeWhose, Source: working.HouseDefault},
			{Name: "Stands", Value: st.Verdict + ": " + words.Standing(st), Source: working.OwnRecords},
		}}
	return b
}
