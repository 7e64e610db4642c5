package aftercare

import "slices"

// Rule names the numbers of a step: how many days from the day it hangs on it begins,
// is best, and ends.
type Rule string

// Numbers are a house's own days of some steps.
type Numbers map[Rule][3]int

// Default is a step's days by default.
type Default struct {
	Rule Rule
	Days [3]int // from, best, by
}

// Defaults are the days of every step that a house can change. House default.
var Defaults = []Default{
	{"callus-in-the-row", [3]int{14, 22, 30}},
	{"first-look", [3]int{28, 35, 42}},
	{"first-look-t-bud", [3]int{12, 15, 24}},
	{"first-look-t-bud-under-film", [3]int{21, 24, 28}},
	{"first-look-chip", [3]int{21, 25, 30}},
	{"first-look-bark-flap", [3]int{28, 30, 42}},
	{"take-look", [3]int{14, 21, 28}},
	{"pot", [3]int{0, 3, 28}},
	{"open-cover", [3]int{21, 24, 28}},
	{"cover-off", [3]int{-7, 0, 14}},
	{"cover-off-growth-seen", [3]int{0, 0, 7}},
	{"loosen-tie", [3]int{0, 0, 14}},
	{"untie", [3]int{-7, 0, 21}},
	{"untie-loosened", [3]int{4, 4, 18}},
	{"untie-sleeping-t-bud", [3]int{14, 21, 42}},
	{"untie-sleeping-chip", [3]int{21, 28, 49}},
	{"untie-late-winter", [3]int{-21, -10, 0}},
	{"untie-growing-t-bud", [3]int{14, 18, 24}},
	{"untie-growing-chip", [3]int{0, 3, 14}},
	{"untie-bark-flap", [3]int{0, 0, 3}},
	{"bind-low", [3]int{0, 0, 3}},
	{"low-tie-off", [3]int{30, 30, 45}},
	{"bud-look", [3]int{-28, -14, -3}},
	{"head-back-late-winter", [3]int{-14, -3, 10}},
	{"head-back-seasons-end", [3]int{0, 14, 45}},
	{"head-back-1", [3]int{5, 7, 12}},
	{"head-back-2", [3]int{0, 3, 10}},
	{"cut-back-bark-flap", [3]int{0, 0, 10}},
	{"cut-back-side-veneer", [3]int{0, 0, 14}},
	{"cane-bench", [3]int{0, 0, 14}},
	{"cane-row", [3]int{0, 7, 21}},
	{"tie-shoot", [3]int{14, 21, 35}},
	{"loosen-shoot", [3]int{-5, 0, 10}},
	{"pinch", [3]int{7, 12, 21}},
	{"choose-shoot", [3]int{28, 42, 56}},
	{"choose-shoot-at-once", [3]int{7, 10, 21}},
	{"suckers", [3]int{-2, 0, 4}},
	{"second-look-seasons-end-not-known", [3]int{173, 180, 210}},
	{"guard", [3]int{-30, -14, 0}},
	{"lift", [3]int{7, 21, 60}},
	{"clean-up", [3]int{110, 140, 180}},
	{"keep-best", [3]int{250, 270, 300}},
	{"fit-to-sell", [3]int{0, 0, 365}},
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
