package outlook

import (
	"cmp"
	"math"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/own"
	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
	"unionknot/internal/store"
)

// Rain is what it costs to move today's walks on by a day.
type Rain struct {
	Must  []BedStep // whose last day is today or over: they do not wait
	Wait  int       // steps that can
	Trees float64   // that a day more is expected to cost, of those that wait and of those that are late
}

// RainOf says what of what is due must not wait, and what a day more costs.
func RainOf(beds []Bed) Rain {
	var r Rain
	for _, b := range beds {
		for _, s := range b.Steps {
			if s.MustNow {
				r.Must = append(r.Must, s)
				r.Trees += s.Loses / 7 * float64(s.Trees)
			} else {
				r.Wait++
			}
		}
	}
	return r
}

// Exposed is a place where what stands there is in danger of cold or heat.
type Exposed struct {
	Place  string
	C      float64 // what was read there
	Frost  bool    // else heat
	Tender int     // trees whose scion has started, or that are under cover
	Own    bool    // read at the place; else by the site's weather
}

// House defaults of when what stands is in danger.
const (
	frostBelow = 1.0
	hotAbove   = 32.0
	tenderFor  = 70 // days after the scion starts
)

// ExposedOf lists the places that are too cold or too hot for what stands tender there:
// by the place's own last reading of today, or in the row by the site's low.
func ExposedOf(n *Nursing, gs []Growing) []Exposed {
	tender := map[string]int{}
	name := map[string]string{}
	inRow := map[string]bool{}
	for _, g := range gs {
		if age := n.Today - g.Plan.Growth; age < 0 || age > tenderFor {
			continue
		}
		key := strings.ToLower(g.Stands())
		tender[key] += g.Standing
		name[key], inRow[key] = g.Stands(), g.Healing == aftercare.InTheRow || g.Form == "row"
	}
	low := math.Inf(1)
	if w := n.F.Known.Weather; len(w) > 0 {
		if last := w[len(w)-1]; !last.On.Before(n.F.Today.AddDate(0, 0, -1)) {
			low = last.LowC
		}
	}
	var out []Exposed
	for key, trees := range tender {
		if p, ok := n.F.Place(name[key]); ok && len(p.Readings) > 0 {
			r := p.Readings[len(p.Readings)-1]
			if n.F.At.Sub(r.At).Hours() < 24 && (r.C < frostBelow || r.C > hotAbove) {
				out = append(out, Exposed{name[key], r.C, r.C < frostBelow, trees, true})
			}
			continue
		}
		if low < frostBelow && inRow[key] {
			out = append(out, Exposed{name[key], low, true, trees, false})
		}
	}
	slices.SortFunc(out, func(a, b Exposed) int { return cmp.Or(b.Tender-a.Tender, Natural(a.Place, b.Place)) })
	return out
}

// Life is how far trees have come.
type Life int

// The stages of a tree's life, from the bench or the row to the gate.
const (
	Healing  Life = iota // not looked at yet
	Asleep               // a bud that waits for spring
	Growing1             // growing as it was grafted
	Headed               // headed back to its bud
	Moved                // potted, lined out or uncovered since
	Trained              // tied to its cane or its snag, or down to one shoot
	Fit                  // fit to sell
	lives
)

// YearLine is what was made in a calendar year, and where it stands.
type YearLine struct {
	Year                       int
	Bud                        bool // summer buds in the row; else grafts
	Tied, Lost, Gone, Standing int
	By                         [lives]int // what stands, by how far it has come
	Spring                     int        // the year in whose spring, or autumn, most of it is fit
	InRow                      int        // stocks lined out that year and still without a graft
	Sown                       int        // seedlings sown that year and still in the seedbed
	Budded, BuddedFit          int        // the years in which most of those are budded, and fit; 0: not known
	Next                       aftercare.Knot
	HasNext                    bool
}

// cameTo is how far the steps done on a graft have brought it; 0 for none that counts.
func cameTo(done []aftercare.Done) (life Life) {
	for _, d := range done {
		switch d.Knot {
		case aftercare.HeadBack:
			life = max(life, Headed)
		case aftercare.Pot, aftercare.CoverOff, aftercare.Lift:
			life = max(life, Moved)
		case aftercare.TieShoot, aftercare.LoosenShoot, aftercare.ChooseShoot:
			life = max(life, Trained)
		}
	}
	return life
}

// seedlingDays is how long after sowing seedlings are budded at the soonest: lined
// out in the next spring, worked in that summer. House default.
const seedlingDays = 330

// ahead gives the years in which stocks of a season group without a graft are budded
// in the row, and in which most of those buds are fit to sell, by the house's days.
func (n *Nursing) ahead(group string, from time.Time) (budded, fit int) {
	var end time.Time
	for _, t := range n.F.Techniques {
		if own.Base(t.Key) != aftercare.TBud {
			continue
		}
		for _, w := range t.Windows(n.F.Around(group), []string{season.RipeGreen}, technique.InRow) {
			// The last within a year: buds of June would push at once.
			if w.To.After(n.F.Today) && w.To.Before(n.F.Today.AddDate(1, 0, 0)) && w.To.After(end) {
				end = w.To
			}
		}
	}
	if end.IsZero() {
		return 0, 0
	}
	for !end.After(from) {
		end = end.AddDate(1, 0, 0)
	}
	m := aftercare.Made{Technique: aftercare.TBud, Healing: aftercare.InTheRow, Buds: 1, Group: group, Ways: n.ways, Numbers: n.F.Numbers,
		Finished: aftercare.DayOf(end.AddDate(0, 0, -1)), Calendar: n.Calendar(group)}
	for _, k := range m.Plan().Knots {
		if k.Name == aftercare.FitToSell {
			return end.Year(), k.From.Date().Year()
		}
	}
	return end.Year(), 0
}

// YearsOf draws each year's work together, the newest first.
func YearsOf(n *Nursing, gs []Growing, cohorts []store.Cohort, rows []store.InRow) []YearLine {
	var out []YearLine
	at := func(year int, bud bool) *YearLine {
		i := slices.IndexFunc(out, func(l YearLine) bool { return l.Year == year && l.Bud == bud })
		if i < 0 {
			i, out = len(out), append(out, YearLine{Year: year, Bud: bud})
		}
		return &out[i]
	}
	for _, c := range cohorts {
		l := at(c.Year, c.Bud)
		l.Tied, l.Lost, l.Gone, l.Standing = c.Tied, c.Lost, c.Gone, c.Standing
	}
	fit := map[[2]int]map[int]int{}
	for _, g := range gs {
		bud := g.Made.Healing == aftercare.InTheRow && (g.Made.Technique == aftercare.TBud || g.Made.Technique == aftercare.ChipBud)
		l := at(g.FinishedAt.Year(), bud)
		stage := Growing1
		for _, k := range g.Plan.Knots {
			if k.Name == aftercare.FitToSell {
				key := [2]int{l.Year, map[bool]int{true: 1}[bud]}
				if fit[key] == nil {
					fit[key] = map[int]int{}
				}
				fit[key][k.From.Date().Year()] += g.Standing
				if k.From <= n.Today {
					stage = Fit
				}
			}
		}
		switch {
		case stage == Fit:
		case len(g.Looks) == 0:
			stage = Healing
		default:
			stage = cmp.Or(cameTo(g.Made.Done), stage)
			if stage == Growing1 && g.Plan.Sleeps && n.Today < g.Plan.Growth {
				stage = Asleep
			}
		}
		l.By[stage] += g.Standing
		for _, k := range n.Asked(g) {
			if k.Name != aftercare.FitToSell && (!l.HasNext || k.By < l.Next.By) {
				l.Next, l.HasNext = k, true
			}
		}
	}
	for i := range out {
		l := &out[i]
		most := 0
		for year, trees := range fit[[2]int{l.Year, map[bool]int{true: 1}[l.Bud]}] {
			if trees > most {
				l.Spring, most = year, trees
			}
		}
	}
	most := map[int]int{}
	for _, r := range rows {
		l, from := at(r.Year, true), n.F.Today
		if r.Sown {
			l.Sown += r.N
			if ripe := r.Since.AddDate(0, 0, seedlingDays); ripe.After(from) {
				from = ripe
			}
		} else {
			l.InRow += r.N
		}
		if r.N > most[l.Year] {
			most[l.Year] = r.N
			l.Budded, l.BuddedFit = n.ahead(n.F.Genus(r.Genus).SeasonGroup, from)
		}
	}
	slices.SortFunc(out, func(a, b YearLine) int {
		return cmp.Or(b.Year-a.Year, map[bool]int{true: 1}[a.Bud]-map[bool]int{true: 1}[b.Bud])
	})
	return out
}
