package outlook

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
	"unionknot/internal/snapshot"
	"unionknot/internal/words"
)

// Entry is a day or a run of days of a calendar. UID stays the same when its days
// move.
type Entry struct {
	UID      string
	Title    string
	Says     string
	From, To time.Time // calendar days, both included
}

// entriesAhead is how many days ahead a calendar reaches; what is late stays in it until it is done.
const entriesAhead = 400

// EntriesOf is the calendar of the house, or with a worker what is theirs of it: bench
// days, what is due where, and windows that open and shut.
func EntriesOf(n *Nursing, gs []Growing, worker int64) []Entry {
	var out []Entry
	type key struct {
		batch, place string
		name         aftercare.Name
		n            int
	}
	at := map[key]int{}
	trees := map[key]int{}
	for _, g := range gs {
		for _, k := range n.Asked(g) {
			if k.From > n.Today+entriesAhead || k.Name == aftercare.FitToSell {
				continue
			}
			id := key{g.Batch, g.Stands(), k.Name, k.N}
			i, ok := at[id]
			if !ok {
				i, out = len(out), append(out, Entry{UID: fmt.Sprintf("%s-%s-%d-%x@unionknot", g.Batch,
					strings.ReplaceAll(k.Name.String(), " ", "-"),
					k.N, placeSum(g.Stands())), From: k.From.Date(), To: k.By.Date(), Says: words.KnotHow(k.Name, k.N, n.F.Answers())})
				at[id] = i
			}
			e := &out[i]
			if d := k.From.Date(); d.Before(e.From) {
				e.From = d
			}
			if d := k.By.Date(); d.Before(e.To) && !d.Before(e.From) {
				e.To = d
			}
			trees[id] += g.Standing
			e.Title = words.CalendarTitle(k.Name, k.N, trees[id], g.Variety+" on "+g.StockType, g.Stands())
		}
	}
	out = append(out, benchDays(n.F, worker)...)
	if worker == 0 {
		out = append(out, windows(n.F)...)
	}
	slices.SortStableFunc(out, func(a, b Entry) int { return cmp.Or(a.From.Compare(b.From), strings.Compare(a.UID, b.UID)) })
	return out
}

// placeSum is a short mark of a place's name.
func placeSum(place string) uint32 {
	h := uint32(2166136261)
	for _, b := range []byte(strings.ToLower(place)) {
		h = (h ^ uint32(b)) * 16777619
	}
	return h
}

// benchDays are the days on which tags wait at the bench, of all or of one worker.
func benchDays(f *snapshot.Snapshot, worker int64) []Entry {
	type day struct {
		day time.Time
		who string
	}
	grafts := map[day]int{}
	for _, t := range f.OpenTags() {
		if worker == 0 || t.Has(worker) {
			grafts[day{t.Day, map[bool]string{true: t.Worker}[worker != 0]}] += max(0, t.Planned-t.Tied)
		}
	}
	var out []Entry
	for d, k := range grafts {
		out = append(out, Entry{UID: "bench-" + d.day.Format("20060102") + "-" + fmt.Sprint(worker) + "@unionknot",
			Title: words.BenchDay(k), From: d.day,
			To: d.day})
	}
	return out
}

// windows are when techniques open and shut, for each season group of what grows or
// was made.
func windows(f *snapshot.Snapshot) []Entry {
	var out []Entry
	for _, g := range f.Groups {
		cal := f.Around(g.Key)
		for _, t := range f.Techniques {
			for _, w := range t.Windows(cal, nil, technique.InRow) {
				if w.To.Before(f.Today) || w.From.After(f.Today.AddDate(0, 0, entriesAhead)) {
					continue
				}
				id := fmt.Sprintf("window-%s-%s-%d", g.Key, t.Key, w.From.Year())
				out = append(out, Entry{UID: id + "-opens@unionknot", Title: words.WindowOpens(t.Name, g.Name), Says: season.Say(w.From) +
					" – " +
					season.Say(w.To), From: w.From, To: w.From},
					Entry{UID: id + "-shuts@unionknot", Title: words.WindowShuts(t.Name, g.Name), From: w.To, To: w.To})
			}
		}
	}
	return out
}

// Late are the steps that are late, by bed, worst first: what they are expected to
// have cost.
type Late struct {
	Bed  Bed
	Step BedStep
}

// LateOf lists them, those that cost most trees first.
func LateOf(beds []Bed) []Late {
	var out []Late
	for _, b := range beds {
		for _, s := range b.Steps {
			if s.Late {
				out = append(out, Late{b, s})
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Late) int {
		return cmp.Compare(b.Step.Share*float64(b.Step.Trees), a.Step.Share*float64(a.Step.Trees))
	})
	return out
}
