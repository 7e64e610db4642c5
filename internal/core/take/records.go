package take

import (
	"sort"
	"strings"
)

// Record is a tag as the nursery keeps it.
type Record struct {
	Worker, Technique, Lot, Bundle string
	Mismatch                       float64 // 1 − scion ÷ stock diameter
	StoreDays                      float64 // wood's days in store; enters as days ÷ 10
	Grafts, Took                   int
}

// Names of the factors and of the fixed effects that are always there.
const (
	Worker    = "worker"
	Lot       = "lot"
	Bundle    = "bundle"
	Intercept = "(Intercept)"
	Mismatch  = "mismatch"
	Store10   = "store10"
	// techniquePrefix stands before a technique's name among the fixed effects.
	techniquePrefix = "technique"
)

// Base chooses the technique that others are compared with: the wanted one
// where the records have it, else the one with the most grafts.
func Base(rs []Record, wanted string) string {
	n := map[string]int{}
	for _, r := range rs {
		n[r.Technique] += r.Grafts
	}
	if n[wanted] > 0 {
		return wanted
	}
	best := ""
	for t, k := range n {
		if best == "" || k > n[best] || k == n[best] && t < best {
			best = t
		}
	}
	return best
}

// FromRecords lays tags out for the fit: technique (against base), mismatch
// and days in store as fixed effects; worker, lot and bundle as factors.
func FromRecords(rs []Record, base string) Data {
	index := func(of func(Record) string) ([]string, map[string]int) {
		at := map[string]int{}
		for _, r := range rs {
			at[of(r)] = 0
		}
		names := make([]string, 0, len(at))
		for n := range at {
			names = append(names, n)
		}
		sort.Strings(names)
		for i, n := range names {
			at[n] = i
		}
		return names, at
	}
	techniques, _ := index(func(r Record) string { return r.Technique })
	d := Data{Fixed: []string{Intercept}}
	column := map[string]int{}
	for _, t := range techniques {
		if t != base {
			column[t] = len(d.Fixed)
			d.Fixed = append(d.Fixed, techniquePrefix+t)
		}
	}
	mis := len(d.Fixed)
	d.Fixed = append(d.Fixed, Mismatch, Store10)
	workers, w := index(func(r Record) string { return r.Worker })
	lots, l := index(func(r Record) string { return r.Lot })
	bundles, b := index(func(r Record) string { return r.Bundle })
	d.Factors = []Factor{{Worker, workers}, {Lot, lots}, {Bundle, bundles}}
	for _, r := range rs {
		x := make([]float64, len(d.Fixed))
		x[0], x[mis], x[mis+1] = 1, r.Mismatch, r.StoreDays/10
		if c, ok := column[r.Technique]; ok {
			x[c] = 1
		}
		d.Rows = append(d.Rows, Row{X: x, Levels: []int{w[r.Worker], l[r.Lot], b[r.Bundle]}, Grafts: r.Grafts, Took: r.Took})
	}
	return d
}

// TechniqueColumns are the places of the techniques among the fixed effects,
// all but the base.
func (d Data) TechniqueColumns() []int {
	var out []int
	for j, n := range d.Fixed {
		if strings.HasPrefix(n, techniquePrefix) {
			out = append(out, j)
		}
	}
	return out
}

// Techniques names the techniques but the base, as TechniqueColumns has them.
func (d Data) Techniques() []string {
	var out []string
	for _, j := range d.TechniqueColumns() {
		out = append(out, strings.TrimPrefix(d.Fixed[j], techniquePrefix))
	}
	return out
}
