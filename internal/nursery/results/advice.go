package results

import (
	"math"
	"net/url"
	"slices"

	"gonum.org/v1/gonum/stat/distuv"

	"unionknot/internal/core/sizing"
	"unionknot/internal/core/take"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// Sure is how sure a gain is.
type Sure string

// How sure a gain is: in 95 of 100, in 80, or not to be told yet.
const (
	Certain Sure = "sure"
	Likely  Sure = "likely"
	Untold  Sure = "untold"
)

// Advice is something worth changing, with what it would bring in a season such as the last
// that is shown.
type Advice struct {
	Kind  string // teach, swap, thinner, sooner, lot, share
	Key   string // whom or what it is about
	Name  string
	Cause string // that it lost more to, or ""
	Trees sizing.Interval
	Cents float64
	Sure  Sure
	Path  string
}

// fewestGained is how many trees a season a piece of advice must be expected to bring. House
// default.
const fewestGained = 2

// sureOf judges a gain by its 90 % range.
func sureOf(x sizing.Interval) Sure {
	sd := (x.High - x.Low) / (2 * 1.6449)
	if sd <= 0 {
		return Untold
	}
	switch p := distuv.UnitNormal.CDF(x.Mean / sd); {
	case p >= 0.95:
		return Certain
	case p >= 0.8:
		return Likely
	}
	return Untold
}

// advise lists the few things worth changing, those that bring the most first; what cannot be
// told comes last.
func advise(f *snapshot.Snapshot, p ResultsPage, ds []store.TagDetail, grade float64) []Advice {
	fair := p.Fair
	if len(fair.Lines) == 0 {
		return nil
	}
	last := 0
	for _, d := range ds {
		last = max(last, d.Season)
	}
	grafts := map[string]map[string]int{"worker": {}, "lot": {}, "technique": {}}
	seasons := map[int]bool{}
	for _, d := range ds {
		seasons[d.Season] = true
		if d.Season == last {
			grafts["worker"][d.Worker] += d.Joins
			grafts["technique"][d.Technique] += d.Joins
		}
		grafts["lot"][d.Lot] += d.Joins // lots come anew each season: what one such costs
	}
	name := map[string]map[string]ResultLine{}
	for g, ls := range p.Groups {
		name[g] = map[string]ResultLine{}
		for _, l := range ls {
			name[g][l.Key] = l
		}
	}
	var out []Advice
	add := func(a Advice, per sizing.Interval, n int) {
		a.Trees = sizing.Interval{Mean: per.Mean * float64(n), Low: per.Low * float64(n), High: per.High * float64(n)}
		a.Cents = a.Trees.Mean * float64(outlook.WorthOf(f.House).TreeCents) * grade
		a.Sure = sureOf(per)
		if a.Trees.Mean >= fewestGained {
			out = append(out, a)
		}
	}
	// against is what grafts of a level would gain if they took as all do.
	against := func(x sizing.Interval) sizing.Interval {
		return sizing.Interval{Mean: fair.All - x.Mean, Low: fair.All - x.High, High: fair.All - x.Low}
	}
	cause := func(g, key string) string {
		if cs := name[g][key].More; len(cs) > 0 {
			return cs[0].Cause
		}
		return ""
	}
	for key, l := range fair.Lines["worker"] {
		add(Advice{Kind: "teach", Key: key, Name: name["worker"][key].Name, Cause: cause("worker", key),
			Path: "/results/worker/" + url.PathEscape(key)}, against(l.Take), grafts["worker"][key])
	}
	for key, l := range fair.Lines["lot"] {
		if r := name["lot"][key]; r.Flag < 0 {
			add(Advice{Kind: "lot", Key: key, Name: key, Cause: cause("lot", key), Path: "/stock/lots/" + url.PathEscape(key)},
				against(l.Take),
				grafts["lot"][key]/max(1, len(seasons)))
		}
	}
	bud := func(key string) bool { t, _ := f.Technique(key); return t.SetsBud() }
	best := map[bool]string{} // of grafts, and of buds: the one does not stand for the other
	for key, l := range fair.Lines["technique"] {
		b := best[bud(key)]
		if grafts["technique"][key] > 0 && (b == "" || l.Take.Low > fair.Lines["technique"][b].Take.Low) {
			best[bud(key)] = key
		}
	}
	for key, l := range fair.Lines["technique"] {
		best := best[bud(key)]
		if key == best || best == "" {
			continue
		}
		bestTake := fair.Lines["technique"][best].Take
		d := sizing.Interval{Mean: bestTake.Mean - l.Take.Mean, Low: bestTake.Low - l.Take.High, High: bestTake.High - l.Take.Low}
		add(Advice{Kind: "swap", Key: best, Name: name["technique"][key].Name, Cause: name["technique"][best].Name, Path: "/match/union"},
			d,
			grafts["technique"][key])
	}
	// What thin or old wood costs beyond what is common, along the curves.
	curve := func(kind, path string, ps []take.CurvePoint, at float64, x func(store.TagDetail) float64) {
		if len(ps) == 0 {
			return
		}
		value := func(v float64, of func(take.CurvePoint) float64) float64 {
			i := slices.IndexFunc(ps, func(p take.CurvePoint) bool { return p.X >= v })
			if i < 0 {
				i = len(ps) - 1
			}
			return of(ps[i])
		}
		n, gain, low, high := 0, 0.0, 0.0, 0.0
		for _, d := range ds {
			if v := x(d); d.Season == last && v > at {
				g := float64(d.Joins)
				n += d.Joins
				gain += g * (value(at, func(p take.CurvePoint) float64 { return p.Take }) - value(v,
					func(p take.CurvePoint) float64 { return p.Take }))
				low += g * (value(at, func(p take.CurvePoint) float64 { return p.Low }) - value(v,
					func(p take.CurvePoint) float64 { return p.High }))
				high += g * (value(at, func(p take.CurvePoint) float64 { return p.High }) - value(v,
					func(p take.CurvePoint) float64 { return p.Low }))
			}
		}
		if n > 0 {
			k := float64(n)
			add(Advice{Kind: kind, Path: path}, sizing.Interval{Mean: gain / k, Low: low / k, High: high / k}, n)
		}
	}
	curve("thinner", "/house#techniques", fair.Mismatch, thinEnough, func(d store.TagDetail) float64 { return 100 * d.Mismatch })
	curve("sooner", "/wood?sort=cut", fair.Store, soonEnough, func(d store.TagDetail) float64 { return d.StoreDays })
	slices.SortStableFunc(out, func(a, b Advice) int {
		if (a.Sure == Untold) != (b.Sure == Untold) {
			if a.Sure == Untold {
				return 1
			}
			return -1
		}
		return int(math.Copysign(1, b.Trees.Mean-a.Trees.Mean))
	})
	return out[:min(len(out), mostAdvice)]
}

// House defaults of what is advised: wood up to so many hundredths thinner, used within so
// many days, and how many pieces of advice are given at most.
const (
	thinEnough = 10
	soonEnough = 60
	mostAdvice = 6
)
