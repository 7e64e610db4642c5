package take

import (
	"cmp"
	"slices"
	"sort"
	"strings"
)

// Record is a tag as the nursery keeps it.
type Record struct {
	Worker, Technique, Lot, Bundle string
	Tier                           string  // who tied; "" where the worker did
	Part                           string  // of the shoot its wood is from; "" not known
	Mismatch                       float64 // 1 − scion ÷ stock diameter
	StoreDays                      float64 // wood's days in store; enters as days ÷ 10
	Grafts, Took                   int
}

// Names of the factors and of the fixed effects that are always there.
const (
	Worker    = "worker"
	Tier      = "tier"
	Lot       = "lot"
	Bundle    = "bundle"
	Intercept = "(Intercept)"
	Mismatch  = "mismatch"
	Store10   = "store10"
	// techniquePrefix stands before a technique's name among the fixed effects.
	techniquePrefix = "technique"
	partPrefix      = "part "
)

// PartColumn names the fixed effect of wood from a part of the shoot.
func PartColumn(part string) string { return partPrefix + part }

// alone is the level of tags that one worker cut and tied.
const alone = "alone"

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

// FromRecords lays tags out for the fit: technique (against base), mismatch,
// days in store and, where it is known, the part of the shoot (against its base)
// as fixed effects; worker, lot and bundle as factors, and the tier where there are
// any, all tags made alone being one level of it.
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
	parts := map[string]int{}
	for _, p := range []string{"middle", "outer", ""} {
		// Where none is known there is nothing to tell apart; what is not known is told
		// apart from the base only beside what is.
		if slices.ContainsFunc(rs, func(r Record) bool { return r.Part == p }) &&
			slices.ContainsFunc(rs, func(r Record) bool { return r.Part != "" && r.Part != p }) {
			parts[p] = len(d.Fixed)
			d.Fixed = append(d.Fixed, PartColumn(p))
		}
	}
	workers, w := index(func(r Record) string { return r.Worker })
	lots, l := index(func(r Record) string { return r.Lot })
	bundles, b := index(func(r Record) string { return r.Bundle })
	d.Factors = []Factor{{Worker, workers}, {Lot, lots}, {Bundle, bundles}}
	tiers, ts := index(func(r Record) string { return cmp.Or(r.Tier, alone) })
	paired := len(tiers) > 1 || len(tiers) == 1 && tiers[0] != alone
	if paired {
		d.Factors = append(d.Factors, Factor{Tier, tiers})
	}
	for _, r := range rs {
		x := make([]float64, len(d.Fixed))
		x[0], x[mis], x[mis+1] = 1, r.Mismatch, r.StoreDays/10
		if c, ok := column[r.Technique]; ok {
			x[c] = 1
		}
		if c, ok := parts[r.Part]; ok {
			x[c] = 1
		}
		levels := []int{w[r.Worker], l[r.Lot], b[r.Bundle]}
		if paired {
			levels = append(levels, ts[cmp.Or(r.Tier, alone)])
		}
		d.Rows = append(d.Rows, Row{X: x, Levels: levels, Grafts: r.Grafts, Took: r.Took})
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
