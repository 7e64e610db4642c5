package aftercare

import "slices"

// Rule names the numbers of a step: how many days from the day it hangs on it begins,
// is best, and ends.
type Rule string

// Numbers are a house's own days of some steps.
type Numbers map[Rule][3]int

// Default is a step's days by default, and from which day they are counted.
type Default struct {
	Rule Rule
	From string // what they are counted from
	Days [3]int // from, best, by
}

// Defaults are the days of every step that a house can change. House default.
var Defaults = []Default{
	{"callus in the row", "the graft", [3]int{14, 22, 30}},
	{"first look", "the graft", [3]int{28, 35, 42}},
	{"first look, T-bud", "the graft", [3]int{12, 15, 24}},
	{"first look, T-bud under film", "the graft", [3]int{21, 24, 28}},
	{"first look, chip", "the graft", [3]int{21, 25, 30}},
	{"first look, bark flap", "the graft", [3]int{28, 30, 42}},
	{"take look", "the start of growth", [3]int{14, 21, 28}},
	{"pot", "callus", [3]int{0, 3, 28}},
	{"open cover", "the graft", [3]int{21, 24, 28}},
	{"cover off", "35 days, or growth", [3]int{-7, 0, 14}},
	{"cover off, growth seen", "growth seen", [3]int{0, 0, 7}},
	{"loosen tie", "6 weeks, or 4 after growth", [3]int{0, 0, 14}},
	{"untie", "the tie's weeks, or 4 after growth", [3]int{-7, 0, 21}},
	{"untie, loosened", "the loosening", [3]int{4, 4, 18}},
	{"untie, sleeping T-bud", "the bud", [3]int{14, 21, 42}},
	{"untie, sleeping chip", "the bud", [3]int{21, 28, 49}},
	{"untie, late winter", "bud swell", [3]int{-21, -10, 0}},
	{"untie, growing T-bud", "the bud", [3]int{14, 18, 24}},
	{"untie, growing chip", "the first look", [3]int{0, 3, 14}},
	{"untie, bark flap", "the first look", [3]int{0, 0, 3}},
	{"bind low", "the first look", [3]int{0, 0, 3}},
	{"low tie off", "binding low", [3]int{30, 30, 45}},
	{"bud look", "bud swell", [3]int{-28, -14, -3}},
	{"head back, late winter", "bud swell", [3]int{-14, -3, 10}},
	{"head back, season's end", "rest", [3]int{0, 14, 45}},
	{"head back 1", "the bud, or a week after potting", [3]int{5, 7, 12}},
	{"head back 2", "the first look, or 14 days after that", [3]int{0, 3, 10}},
	{"cut back, bark flap", "the first look, each 30 days", [3]int{0, 0, 10}},
	{"cut back, side veneer", "14 days after growth, each 30 days", [3]int{0, 0, 14}},
	{"cane, bench", "potting", [3]int{0, 0, 14}},
	{"cane, row", "the start of growth", [3]int{0, 7, 21}},
	{"tie shoot", "the start of growth", [3]int{14, 21, 35}},
	{"loosen shoot", "the tying, each 30 days", [3]int{-5, 0, 10}},
	{"pinch", "the start of growth", [3]int{7, 12, 21}},
	{"choose shoot", "the start of growth", [3]int{28, 42, 56}},
	{"choose shoot, at once", "the start of growth", [3]int{7, 10, 21}},
	{"suckers", "each 12 days", [3]int{-2, 0, 4}},
	{"second look, season's end not known", "the graft", [3]int{173, 180, 210}},
	{"guard", "the first hard frost", [3]int{-30, -14, 0}},
	{"lift", "rest", [3]int{7, 21, 60}},
	{"fit to sell", "when all of it is done", [3]int{0, 0, 365}},
}

var defaults = func() map[Rule][3]int {
	out := map[Rule][3]int{}
	for _, d := range Defaults {
		out[d.Rule] = d.Days
	}
	return out
}()

// Known says whether a rule is one that can be changed.
func (r Rule) Known() bool {
	return slices.ContainsFunc(Defaults, func(d Default) bool { return d.Rule == r })
}

// rule is a step's window about the day it hangs on.
func (m *Made) rule(r Rule, on Day) Window {
	d, own := m.Numbers[r]
	if !own {
		d = defaults[r]
	}
	return around(on, d[0], d[1], d[2])
}
