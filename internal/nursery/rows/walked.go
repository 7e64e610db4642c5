package rows

import (
	"context"
	"math"
	"slices"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/pace"
	"unionknot/internal/core/rows"
	"unionknot/internal/core/sizing"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
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

// Own is what own tags of a technique say of its pace: of those that one made alone, against the
// house's rate, and of those of a cutter and a tier, against what two do at it.
type Own struct{ Alone, Pairs pace.Record }

// Of is the pace as a multiple of the house's rate: of those who work alone, where nobody wraps
// behind them, and else of all.
func (o Own) Of(wrappers int) sizing.Interval {
	if wrappers == 0 {
		return pace.Of([]pace.Record{o.Alone})
	}
	return pace.Of([]pace.Record{o.Alone, o.Pairs})
}

// budded gives what own tags say of the pace of each technique in use.
func budded(ctx context.Context, q store.Q, f *snapshot.Snapshot) (map[string]Own, error) {
	pairs, err := q.PairPaces(ctx)
	if err != nil {
		return nil, err
	}
	out := map[string]Own{}
	for _, t := range f.Techniques {
		two := rows.Team{Budders: 1, Wrappers: 1}.Pace(t.RatePerHour, outlook.CutShare, 1)
		o := Own{Alone: pace.Record{Rate: t.RatePerHour}, Pairs: pace.Record{Rate: two}}
		for _, x := range f.Paces {
			if x.Technique == t.Key {
				o.Alone = o.Alone.And(pace.Record{Tags: x.Tags, Grafts: x.Grafts, Hours: x.Hours, LogSum: x.LogSum, LogSq: x.LogSq})
			}
		}
		for _, x := range pairs {
			if x.Technique == t.Key {
				log := math.Log(x.PerHour)
				o.Pairs = o.Pairs.And(pace.Record{Tags: 1, Grafts: x.Grafts, Hours: x.Hours, LogSum: log, LogSq: log * log})
			}
		}
		out[t.Key] = o
	}
	return out, nil
}

func (c Crew) team() rows.Team { return rows.Team{Budders: c.Budders, Wrappers: c.Wrappers} }
