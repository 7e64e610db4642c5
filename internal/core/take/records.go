package take

import (
	"cmp"
	"maps"
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
	// Marks are what else is known of it, by name: its tie, how it healed. They are told
	// apart where the records can, beside everything else.
	Marks map[string]string
	// Amounts are what else is measured of it, by name and in a unit of its own: how warm it
	// healed, how long its stock was out of the ground. A tag of which one is not known stands
	// at the mean of those of which it is.
	Amounts map[string]float64
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
	marks := d.marks(rs)
	amounts := d.amounts(rs)
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
		for name, level := range r.Marks {
			if c, ok := marks[Mark{name, level}]; ok {
				x[c] = 1
			}
		}
		for name, v := range r.Amounts {
			if a, ok := amounts[name]; ok {
				x[a.column] = v - a.mean
			}
		}
		levels := []int{w[r.Worker], l[r.Lot], b[r.Bundle]}
		if paired {
			levels = append(levels, ts[cmp.Or(r.Tier, alone)])
		}
		d.Rows = append(d.Rows, Row{X: x, Levels: levels, Grafts: r.Grafts, Took: r.Took})
	}
	return d
}

// Mark is a level of something that is known of tags beside the factors.
type Mark struct{ Name, Level string }

const markPrefix = "mark "

// MarkColumn names the fixed effect of a mark.
func MarkColumn(m Mark) string { return markPrefix + m.Name + "=" + m.Level }

// fewestMarked is how many grafts a level of a mark asks for, to be told apart. House default.
const fewestMarked = 60

// marks adds a fixed effect for each level of each mark but the commonest, and gives their
// columns. A mark that each technique has one level of tells nothing beside the technique, and
// is left out.
func (d *Data) marks(rs []Record) map[Mark]int {
	grafts := map[Mark]int{}
	with := map[string]map[string]map[string]bool{} // by name and technique: the levels
	for _, r := range rs {
		for name, level := range r.Marks {
			if level == "" {
				continue
			}
			grafts[Mark{name, level}] += r.Grafts
			if with[name] == nil {
				with[name] = map[string]map[string]bool{}
			}
			if with[name][r.Technique] == nil {
				with[name][r.Technique] = map[string]bool{}
			}
			with[name][r.Technique][level] = true
		}
	}
	all := make([]Mark, 0, len(grafts))
	for m := range grafts {
		all = append(all, m)
	}
	slices.SortFunc(all, func(a, b Mark) int {
		return cmp.Or(cmp.Compare(a.Name, b.Name), cmp.Compare(grafts[b], grafts[a]), cmp.Compare(a.Level, b.Level))
	})
	out := map[Mark]int{}
	for i, m := range all {
		tells := false
		for _, levels := range with[m.Name] {
			tells = tells || len(levels) > 1
		}
		// The first of a name is its commonest level: the base.
		if first := i == 0 || all[i-1].Name != m.Name; first || !tells || grafts[m] < fewestMarked {
			continue
		}
		out[m] = len(d.Fixed)
		d.Fixed = append(d.Fixed, MarkColumn(m))
	}
	return out
}

const amountPrefix = "amount "

// AmountColumn names the fixed effect of an amount.
func AmountColumn(name string) string { return amountPrefix + name }

// leastVaried is the standard deviation, in its own unit, that an amount must have for what it
// does to be told. House default.
const leastVaried = 0.05

type amount struct {
	column int
	mean   float64
}

// amounts adds a fixed effect for each amount that enough grafts are known of and that differs
// between them, and gives their columns and the means from which they are counted.
func (d *Data) amounts(rs []Record) map[string]amount {
	type sum struct{ n, x, xx float64 }
	sums := map[string]sum{}
	for _, r := range rs {
		for name, v := range r.Amounts {
			s, n := sums[name], float64(r.Grafts)
			sums[name] = sum{s.n + n, s.x + n*v, s.xx + n*v*v}
		}
	}
	out := map[string]amount{}
	for _, name := range slices.Sorted(maps.Keys(sums)) {
		s := sums[name]
		mean := s.x / max(s.n, 1)
		if s.n < fewestMarked || s.xx/s.n-mean*mean < leastVaried*leastVaried {
			continue
		}
		out[name] = amount{len(d.Fixed), mean}
		d.Fixed = append(d.Fixed, AmountColumn(name))
	}
	return out
}

// MarkColumns are the marks among the fixed effects, with their places.
func (d Data) MarkColumns() map[Mark]int {
	out := map[Mark]int{}
	for j, n := range d.Fixed {
		if rest, ok := strings.CutPrefix(n, markPrefix); ok {
			name, level, _ := strings.Cut(rest, "=")
			out[Mark{name, level}] = j
		}
	}
	return out
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
