package nursery

import (
	"context"
	"fmt"
	"math"
	"sort"
	"sync"

	"unionknot/internal/core/sizing"
	"unionknot/internal/core/take"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// FairLine is a group's take on an ordinary job: what it would be with the
// same technique, fit and wood as everybody's.
type FairLine struct {
	Take    sizing.Interval
	Working working.Working
}

// Fair is what the take model makes of the counts shown.
type Fair struct {
	Lines    map[string]map[string]FairLine // by group and key
	Ordinary string                         // the ordinary job in words
	Moves    []Moved                        // what moved the take, and by how much
	Alone    []string                       // what the records cannot tell, and what would
	Why      string                         // why there is no fit, or ""
}

// Moved is one thing that moves the take.
type Moved struct {
	What string
	Says string
	Odds sizing.Interval // times the odds
}

// fewestTags is how many counted tags the model asks for. House default.
const fewestTags = 12

// fairs keeps the last fits: they change only when a count does.
type fairs struct {
	mu   sync.Mutex
	kept map[string]Fair
}

// Fair weighs hands, lots, bundles and techniques against each other. It is
// fitted anew when a count was added since.
func (s *Service) Fair(ctx context.Context, f ResultsFilter) (Fair, error) {
	q := s.db.Q()
	mark, err := q.CountsSoFar(ctx)
	if err != nil {
		return Fair{}, err
	}
	key := fmt.Sprint(mark, f.From.Unix(), f.To.Unix(), f.Genus)
	s.fairs.mu.Lock()
	defer s.fairs.mu.Unlock()
	if kept, ok := s.fairs.kept[key]; ok {
		return kept, nil
	}
	rs, err := q.TakeRecords(ctx, store.TakeFilter{From: f.From, To: f.To, Genus: f.Genus})
	if err != nil {
		return Fair{}, err
	}
	ts, err := s.techniques(ctx, q)
	if err != nil {
		return Fair{}, err
	}
	names := map[string]string{}
	for _, t := range ts {
		names[t.Key] = t.Name
	}
	out, err := fairOf(rs, names)
	if err != nil {
		return Fair{}, err
	}
	if len(s.fairs.kept) > 16 || s.fairs.kept == nil {
		s.fairs.kept = map[string]Fair{}
	}
	s.fairs.kept[key] = out
	return out, nil
}

func fairOf(rs []store.TakeRecord, names map[string]string) (Fair, error) {
	out := Fair{Lines: map[string]map[string]FairLine{}}
	if len(rs) < fewestTags {
		out.Why = fmt.Sprintf("Fair takes need %d counted tags; there are %d here.", fewestTags, len(rs))
		return out, nil
	}
	records := make([]take.Record, len(rs))
	people := map[string]string{}
	mis, days, grafts := 0.0, 0.0, 0.0
	for i, r := range rs {
		records[i] = take.Record{Worker: r.Worker, Technique: r.Technique, Lot: r.Lot, Bundle: r.Bundle, Mismatch: r.Mismatch, StoreDays: r.StoreDays, Grafts: r.Grafts, Took: r.Took}
		people[r.Worker] = r.Name
		n := float64(r.Grafts)
		mis, days, grafts = mis+n*r.Mismatch, days+n*r.StoreDays, grafts+n
	}
	mis, days = mis/grafts, days/grafts
	base := take.Base(records, "")
	d := take.FromRecords(records, base)
	if n := weighed(d); n > mostWeighed {
		out.Why = fmt.Sprintf("There are too many hands and lots here to weigh at once: %d, and %d is the most. Choose a season or a genus for fair takes.", n, mostWeighed)
		return out, nil
	}
	fit, err := take.Solve(d)
	if err != nil {
		return out, fmt.Errorf("weighing %d tags: %w", len(rs), err)
	}
	out.Ordinary = fmt.Sprintf("%s, wood thinner by %.0f %%, %.0f days from cutting to grafting", names[base], mis*100, days)
	ordinary := make([]float64, len(d.Fixed))
	column := map[string]int{}
	for j, n := range d.Fixed {
		column[n] = j
	}
	ordinary[0], ordinary[column[take.Mismatch]], ordinary[column[take.Store10]] = 1, mis, days/10
	eta := 0.0
	for j, b := range fit.Fixed {
		eta += b * ordinary[j]
	}
	inputs := func(own string) []working.Input {
		return []working.Input{
			{Name: "Ordinary job", Value: out.Ordinary, Source: working.OwnRecords},
			{Name: "Take on it", Value: Pct(logistic(eta)), Source: working.OwnRecords},
			{Name: "This one's own part", Value: own, Source: working.OwnRecords},
			{Name: "Tags weighed", Value: fmt.Sprint(len(rs)), Source: working.OwnRecords},
			{Name: "Spread among hands, lots, bundles", Value: fmt.Sprintf("%.2f, %.2f, %.2f on the logit scale", fit.SD[0], fit.SD[1], fit.SD[2]), Source: working.OwnRecords},
		}
	}
	line := func(group, key, name string, at, sd float64) {
		const z90 = 1.6449
		i := sizing.Interval{Mean: logistic(eta + at), Low: logistic(eta + at - z90*sd), High: logistic(eta + at + z90*sd)}
		if out.Lines[group] == nil {
			out.Lines[group] = map[string]FairLine{}
		}
		out.Lines[group][key] = FairLine{i, working.Working{Title: "Fair take, " + name, Answer: Pct(i.Mean), Range: PctRange(i), Rule: "what moved the take",
			Says:   "A logistic model of all counted tags shown, with technique, mismatch and days in store as effects and hand, lot and bundle as crossed random parts. It asks what this one's take would be on an ordinary job. Few grafts are pulled toward the middle. The range is that of this one's own part.",
			Inputs: inputs(fmt.Sprintf("%+.2f ± %.2f on the logit scale", at, sd))}}
	}
	for k, f := range d.Factors {
		for l, level := range f.Levels {
			name := level
			if f.Name == take.Worker {
				name = people[level]
			}
			line(f.Name, level, name, fit.Effects[k][l].Mode, fit.Effects[k][l].SD)
		}
	}
	for _, r := range records {
		if j, ok := column["technique"+r.Technique]; ok {
			line("technique", r.Technique, names[r.Technique], fit.Fixed[j], fit.FixedSE[j])
		}
	}
	line("technique", base, names[base], 0, fit.FixedSE[0])
	for _, m := range []struct {
		column, what, unit string
		by                 float64
	}{{take.Mismatch, "Wood thinner than the stock", "each 10 % thinner", 0.1}, {take.Store10, "Days from cutting to grafting", "each 10 days more", 1}} {
		j := column[m.column]
		b, se := fit.Fixed[j]*m.by, fit.FixedSE[j]*m.by
		odds := sizing.Interval{Mean: math.Exp(b), Low: math.Exp(b - 1.6449*se), High: math.Exp(b + 1.6449*se)}
		says := "cannot be told from these counts"
		switch {
		case odds.High < 1:
			says = "costs take"
		case odds.Low > 1:
			says = "helps take"
		}
		out.Moves = append(out.Moves, Moved{m.what + ", " + m.unit, says, odds})
	}
	out.Alone = untold(fit, rs, people)
	return out, nil
}

// mostWeighed bounds a fit: all levels but those of the largest factor. The
// work grows with its cube, and a page must not wait for minutes.
const mostWeighed = 400

func weighed(d take.Data) int {
	n, largest := 0, 0
	for _, f := range d.Factors {
		n += len(f.Levels)
		largest = max(largest, len(f.Levels))
	}
	return n - largest
}

func logistic(x float64) float64 { return 1 / (1 + math.Exp(-x)) }

// untold says what the records cannot tell apart, and how to share the next
// batches so that they could.
func untold(fit take.Fit, rs []store.TakeRecord, people map[string]string) []string {
	var out []string
	call := func(factor, level string) string {
		if factor == take.Worker {
			return people[level]
		}
		return factor + " " + level
	}
	for _, b := range fit.Separate {
		if b.LevelA == "" {
			out = append(out, fmt.Sprintf("Each %s always went with the same %s: no count can say which of the two made the difference. Give each %s to two hands or more next time.", b.A, b.B, b.B))
		} else {
			out = append(out, fmt.Sprintf("%s and %s always went together, and with no other: no count can say which made the difference. Next time give %s to another as well, and the other way round.", capital(call(b.A, b.LevelA)), call(b.B, b.LevelB), call(b.B, b.LevelB)))
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
		if len(hands[l]) == 1 && n[l] > sharedOver {
			lots = append(lots, l)
		}
	}
	sort.Slice(lots, func(i, j int) bool { return n[lots[i]] > n[lots[j]] })
	for _, l := range lots[:min(4, len(lots))] {
		for w := range hands[l] {
			out = append(out, fmt.Sprintf("Only %s grafted lot %s (%d grafts): its figure leans on what %s did elsewhere. Share such a lot between two hands.", people[w], l, n[l], people[w]))
		}
	}
	return out
}
