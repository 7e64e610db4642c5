package rows

import (
	"context"
	"slices"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/pace"
	"unionknot/internal/store"
)

// mostMarks is how many of a step's last marks its pace is learned from.
const mostMarks = 500

// walked gives what past marks say of the pace of each kind of work along a row.
func walked(ctx context.Context, q store.Q) (map[Kind]pace.Record, error) {
	var names []string
	for _, ks := range knots {
		for _, k := range ks {
			names = append(names, k.String())
		}
	}
	slices.Sort(names)
	ms, err := q.LastStepMarks(ctx, names, mostMarks)
	if err != nil {
		return nil, err
	}
	out := map[Kind]pace.Record{}
	for kind, ks := range knots {
		var marks []pace.Mark
		for _, m := range ms {
			if k, _ := aftercare.NameOf(m.Knot); slices.Contains(ks, k) {
				marks = append(marks, pace.Mark{Person: m.Person, At: m.At, Trees: m.Trees})
			}
		}
		out[kind] = pace.Walked(marks, perHour[kind])
	}
	return out, nil
}
