package calc

import (
	"encoding/json"
	"io"
	"math"

	"unionknot/internal/core/take"
)

// limitsCase is groups to set beside each other. What is needed is told from
// what is missing, so numbers are read as they stand.
type limitsCase struct {
	Groups []struct {
		Grafts, Took *float64
	} `json:"groups"`
}

type limitsAnswer struct {
	Mean   float64      `json:"mean"`
	Phi    float64      `json:"phi"`
	Tau    float64      `json:"tau"`
	Groups []limitsFlag `json:"groups"`
}

type limitsFlag struct {
	Z    float64 `json:"z"`
	Flag int     `json:"flag"`
}

// Limits says which groups stand out, for an array of cases.
func Limits(r io.Reader, w io.Writer) error {
	var cases []limitsCase
	if err := one(r, &cases); err != nil {
		return bad("not the JSON of an array of groups: %v", err)
	}
	if cases == nil {
		return bad("null is no array")
	}
	out := []limitsAnswer{}
	for i, c := range cases {
		if len(c.Groups) == 0 {
			return bad("case %d, groups: there are none", i+1)
		}
		groups := make([]take.Group, len(c.Groups))
		for j, g := range c.Groups {
			switch {
			case g.Grafts == nil || !whole(*g.Grafts, 1, 1e9):
				return bad("case %d, group %d, grafts: a whole number from 1 is needed", i+1, j+1)
			case g.Took == nil || !whole(*g.Took, 0, *g.Grafts):
				return bad("case %d, group %d, took: a whole number from 0 to its grafts is needed", i+1, j+1)
			}
			groups[j] = take.Group{Grafts: int(*g.Grafts), Took: int(*g.Took)}
		}
		l := take.LimitsOf(groups)
		a := limitsAnswer{Mean: round(l.Mean, 6), Phi: round(l.Phi, 5), Tau: round(l.Tau, 5)}
		for _, g := range l.Groups {
			a.Groups = append(a.Groups, limitsFlag{round(g.Z, 4), g.Flag})
		}
		out = append(out, a)
	}
	return json.NewEncoder(w).Encode(out)
}

func whole(x, low, high float64) bool { return x >= low && x <= high && x == math.Trunc(x) }
