package results

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/sizing"
	"unionknot/internal/core/take"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// FairLine is a group's standardised take: what all tags shown would have
// taken, had each been of this group and otherwise as it was.
type FairLine struct {
	Take    sizing.Interval
	Working working.Working
}

// Fair is what the take model makes of the counts shown.
type Fair struct {
	Lines map[string]map[string]FairLine // by group and key
	Over  int                            // tags they are standardised over
	Moves []Moved                        // what moved the take, and by how much
	// Mismatch and Store are the take over the wood's thinness and its days in store.
	Mismatch, Store []take.CurvePoint
	All             float64  // what all shown took
	Alone           []string // what the records cannot tell, and what would
	Why             string   // why there is no fit, or ""
	// Behind says that counts came in since: they are being weighed.
	Behind bool
	Age    time.Duration // since they were weighed
}

// Moved is one thing that moves the take.
type Moved struct {
	What string
	Says string
	Odds sizing.Interval // times the odds
	By   sizing.Interval // by how much of a take, on these jobs
}

// fewestTags is how many counted tags the model asks for. House default.
const fewestTags = 12

// Fair weighs hands, lots, bundles and techniques against each other. It is
// fitted anew when a count was added since.
func (s *Stage) Fair(ctx context.Context, f ResultsFilter) (Fair, error) {
	facts, err := s.Facts(ctx)
	if err != nil {
		return Fair{}, err
	}
	return s.fair(ctx, facts, f)
}

func (s *Stage) fair(ctx context.Context, facts *snapshot.Snapshot, f ResultsFilter) (Fair, error) {
	mark := fmt.Sprint(facts.Stamp.Takes)
	work := func(ctx context.Context) (Fair, error) {
		q := s.DB.Q()
		rs, err := q.TakeRecords(ctx, f.filter())
		if err != nil {
			return Fair{}, err
		}
		days, err := q.PlaceDays(ctx)
		if err != nil {
			return Fair{}, err
		}
		names := map[string]string{}
		for _, t := range facts.Techniques {
			names[t.Key] = t.Name
		}
		return nursery.Heavy(ctx, s.Kernel, func() (Fair, error) { return fairOf(rs, outlook.WarmOf(days), names) })
	}
	out, behind, err := s.fairs.Get(f.key(), mark, func() (Fair, error) { return work(ctx) },
		func() (Fair, error) { return work(context.WithoutCancel(ctx)) })
	out.Behind, out.Age = behind, s.fairs.Age(f.key())
	return out, err
}

func fairOf(rs []store.TakeRecord, warm outlook.Warm, names map[string]string) (Fair, error) {
	out := Fair{Lines: map[string]map[string]FairLine{}}
	if len(rs) < fewestTags {
		out.Why = fmt.Sprintf(words.FairTakesNeedNCounted, fewestTags, len(rs))
		return out, nil
	}
	records := outlook.MarkedRecords(rs, warm)
	people := map[string]string{}
	for _, r := range rs {
		people[r.Worker] = r.Name
		if r.Tier != "" {
			people[r.Tier] = r.TierName
		}
	}
	base := take.Base(records, "")
	d := take.FromRecords(records, base)
	fit, err := take.Solve(d)
	if err != nil {
		return out, fmt.Errorf("weighing %d tags: %w", len(rs), err)
	}
	standard := fit.Ranged(d.TechniqueColumns())
	out.Over, out.All = len(rs), standard.Raw
	column := map[string]int{}
	for j, n := range d.Fixed {
		column[n] = j
	}
	spread := func(k int) string {
		if standard.NoSpread[k] {
			return fmt.Sprintf(words.NoneWasFoundBetweenX, d.Factors[k].Name)
		}
		return fmt.Sprintf(words.NOnTheLogitScaleBetween, fit.SD[k], d.Factors[k].Name)
	}
	line := func(group, key, name, differ string, x take.Fair) {
		i := sizing.Interval{Mean: x.Take, Low: x.Low, High: x.High}
		if out.Lines[group] == nil {
			out.Lines[group] = map[string]FairLine{}
		}
		out.Lines[group][key] = FairLine{
			i,
			working.Working{Title: "Fair take, " + name, Answer: words.Pct(i.Mean), Range: words.PctRange(i), Rule: words.WhatMovedTheTake,
				Says: words.ALogisticModelOfAll,
				Inputs: []working.Input{
					{Name: "Tags weighed", Value: fmt.Sprint(len(rs)), Source: working.OwnRecords},
					{Name: words.TookOfAllOfThem, Value: words.Pct(standard.Raw), Source: working.OwnRecords},
					{Name: "Difference", Value: differ, Source: working.OwnRecords},
				}},
		}
	}
	for k, f := range d.Factors {
		if standard.NoSpread[k] && len(f.Levels) > 1 {
			out.Alone = append(
				out.Alone,
				fmt.Sprintf(words.NoDifferenceBetweenXS, f.Name, f.Name),
			)
		}
		for l, level := range f.Levels {
			name := level
			if f.Name == take.Worker || f.Name == take.Tier {
				name = cmp.Or(people[level], level)
			}
			line(f.Name, level, name, spread(k), standard.Factors[k][l])
		}
	}
	for i, t := range append([]string{base}, d.Techniques()...) {
		line("technique", t, names[t], words.AnEffectOfItsOwn+names[base], standard.Technique[i])
	}
	type moving struct {
		column, what, unit string
		by                 float64
	}
	all := []moving{{take.Mismatch, words.WoodThinnerThanTheStock, words.Each10Thinner, 0.1},
		{take.Store10, words.DaysFromCuttingToGrafting, words.Each10DaysMore, 1},
		{take.PartColumn("middle"), words.WoodFromMiddle, words.BesideBase, 1},
		{take.PartColumn("outer"), words.WoodFromOuter, words.BesideBase, 1}}
	for _, name := range []string{outlook.Warmth, outlook.Lifted} {
		what, unit := words.AmountName(name)
		all = append(all, moving{take.AmountColumn(name), what, unit, 1})
	}
	for _, m := range marksOf(d) {
		all = append(all, moving{take.MarkColumn(m), words.MarkName(m.Name, m.Level), words.BesideUsual(m.Name), 1})
	}
	for _, m := range all {
		j, known := column[m.column]
		if !known {
			continue
		}
		b, se := fit.Fixed[j]*m.by, fit.FixedSE[j]*m.by
		odds := sizing.Interval{Mean: math.Exp(b), Low: math.Exp(b - 1.6449*se), High: math.Exp(b + 1.6449*se)}
		says := words.CannotBeToldFromThese
		switch {
		case odds.High < 1:
			says = "costs take"
		case odds.Low > 1:
			says = "helps take"
		}
		out.Moves = append(out.Moves, Moved{m.what + ", " + m.unit, says, odds, movedBy(fit, d, j, m.by)})
	}
	grid := func(name string, by float64) []take.CurvePoint {
		j := column[name]
		most := 0.0
		for _, r := range d.Rows {
			most = max(most, r.X[j])
		}
		var xs []float64
		for i := range curveSteps + 1 {
			xs = append(xs, most*float64(i)/curveSteps)
		}
		ps := fit.Curve(j, xs)
		for i := range ps {
			ps[i].X *= by
		}
		return ps
	}
	out.Mismatch, out.Store = grid(take.Mismatch, 100), grid(take.Store10, 10)
	out.Alone = append(out.Alone, untold(fit, rs, people)...)
	return out, nil
}

// curveSteps is how finely the curves are drawn.
const curveSteps = 24

// marksOf lists the marks that are told apart, in one order.
func marksOf(d take.Data) []take.Mark {
	ms := slices.Collect(maps.Keys(d.MarkColumns()))
	slices.SortFunc(ms, func(a, b take.Mark) int { return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(a.Level, b.Level)) })
	return ms
}

// movedBy is by how much a step of a fixed effect moves the take of these jobs, from where
// they lie on the mean; of a mark, from none of it to all.
func movedBy(fit take.Fit, d take.Data, column int, by float64) sizing.Interval {
	mean, grafts := 0.0, 0.0
	for _, r := range d.Rows {
		mean, grafts = mean+float64(r.Grafts)*r.X[column], grafts+float64(r.Grafts)
	}
	mean /= max(grafts, 1)
	from, to := mean, mean+by
	if strings.HasPrefix(d.Fixed[column], "mark ") || strings.HasPrefix(d.Fixed[column], "part ") {
		from, to = 0, 1
	}
	ps := fit.Curve(column, []float64{from, to})
	b, se := fit.Fixed[column], fit.FixedSE[column]
	mid := ps[1].Take - ps[0].Take
	if b == 0 {
		return sizing.Interval{}
	}
	// The move is as good as in step with the slope over so short a way.
	low, high := mid*(b-1.6449*se)/b, mid*(b+1.6449*se)/b
	return sizing.Interval{Mean: mid, Low: min(low, high), High: max(low, high)}
}

// untold says what the records cannot tell apart, and how to share the next
// batches so that they could.
func untold(fit take.Fit, rs []store.TakeRecord, people map[string]string) []string {
	var out []string
	call := func(factor, level string) string {
		if factor == take.Worker || factor == take.Tier {
			return cmp.Or(people[level], level)
		}
		return factor + " " + level
	}
	for _, b := range fit.Separate {
		if b.LevelA == "" {
			out = append(
				out,
				fmt.Sprintf(words.EachXAlwaysWentWith, b.A, b.B, b.B),
			)
		} else {
			out = append(out, fmt.Sprintf(words.XAndXAlwaysWent, words.Capital(call(b.A, b.LevelA)),
				call(b.B, b.LevelB), call(b.B, b.LevelB)))
		}
	}
	hands, n := map[string]map[string]bool{}, map[string]int{}
	for _, r := range rs {
		if hands[r.Lot] == nil {
			hands[r.Lot] = map[string]bool{}
		}
		hands[r.Lot][r.Worker] = true
		n[r.Lot] += r.Grafts
	}
	var lots []string
	for l := range hands {
		if len(hands[l]) == 1 && n[l] > outlook.SharedOver {
			lots = append(lots, l)
		}
	}
	slices.SortFunc(lots, func(a, b string) int { return cmp.Or(n[b]-n[a], cmp.Compare(a, b)) })
	for _, l := range lots[:min(4, len(lots))] {
		for w := range hands[l] {
			out = append(
				out,
				fmt.Sprintf(words.OnlyXGraftedLotX, people[w], l, n[l], people[w]),
			)
		}
	}
	return out
}
