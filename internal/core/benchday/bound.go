package benchday

import (
	"cmp"
	"maps"
	"math"
	"slices"
	"strings"
)

// relaxed is the best there could be if grafts were as fine as sand and
// changing lots took no time.
type relaxed struct {
	cost   float64      // of what is late
	late   int          // grafts
	inTime map[int]bool // jobs that are in time whole, or for the most part
}

// bound works out what no plan can beat, with a share of everybody's hours.
//
// The amounts of work that can be in time are those a flow can carry from jobs
// to the hours of hands who know the technique, between a job's first and last
// half-day. Such amounts form a polymatroid, on which taking the jobs in the
// order of what an hour of them is worth, each as far as it goes, is best.
func (p *Problem) bound(share float64) relaxed {
	out := relaxed{inTime: map[int]bool{}}
	f, jobs := p.flow(share)
	for _, w := range []bool{true, false} {
		if !w {
			f, jobs = p.flow(share)
		}
		order := slices.Clone(jobs)
		worth := func(i int) float64 {
			j := p.Jobs[i]
			if !w {
				return 1 / p.perGraft(j)
			}
			return j.Weight / p.perGraft(j)
		}
		slices.SortStableFunc(order, func(a, b int) int { return compare(worth(b), worth(a)) })
		late, cost := 0.0, 0.0
		for _, i := range order {
			j := p.Jobs[i]
			need := float64(j.Grafts) * p.perGraft(j)
			got := f.push(slices.Index(jobs, i), need)
			n := (need - got) / p.perGraft(j)
			late, cost = late+n, cost+n*j.Weight
			if w && got > 0.6*need {
				out.inTime[i] = true
			}
		}
		if w {
			out.cost = cost
		} else {
			out.late = int(math.Ceil(late - 1e-6))
		}
	}
	for i, j := range p.Jobs {
		if j.Fixed && j.Slot > j.Latest {
			out.cost += j.Weight * float64(j.Grafts)
			out.late += j.Grafts
		}
		out.inTime[i] = out.inTime[i] || j.Fixed
	}
	return out
}

// flow is a network from jobs through stretches of time to the hours of hands
// with like skills.
type flow struct {
	to   [][]int // places each job can use
	cap  []float64
	used []map[int]float64 // by place, what each job takes of it
	jobs int
}

// flow gathers hands of the same skills and half-days between the same first
// and last days, which leaves the flow as it is and the network small.
func (p *Problem) flow(share float64) (*flow, []int) {
	var jobs []int
	cuts := map[int]bool{0: true, p.Slots: true}
	for i, j := range p.Jobs {
		if j.Fixed || j.Grafts == 0 {
			continue
		}
		jobs = append(jobs, i)
		cuts[min(max(j.Earliest, 0), p.Slots)] = true
		cuts[min(max(j.Latest+1, 0), p.Slots)] = true
	}
	at := slices.Sorted(maps.Keys(cuts))
	taken := map[[2]int]float64{}
	for _, j := range p.Jobs {
		if j.Fixed {
			taken[[2]int{j.Hand, j.Slot}] += p.hours(j, j.Grafts)
		}
	}
	type place struct {
		skills string
		span   int
	}
	index, f := map[place]int{}, &flow{jobs: len(jobs)}
	var spans []int
	var knows []map[string]bool
	for h, hand := range p.Hands {
		var names []string
		for t, ok := range hand.Knows {
			if ok {
				names = append(names, t)
			}
		}
		slices.Sort(names)
		key := strings.Join(names, ",")
		for k := range len(at) - 1 {
			sum := 0.0
			for s := at[k]; s < at[k+1]; s++ {
				sum += max(0, p.capacity(h, s)*share-taken[[2]int{h, s}])
			}
			if sum == 0 {
				continue
			}
			i, ok := index[place{key, k}]
			if !ok {
				i = len(f.cap)
				index[place{key, k}] = i
				f.cap, f.used = append(f.cap, 0), append(f.used, map[int]float64{})
				spans, knows = append(spans, k), append(knows, hand.Knows)
			}
			f.cap[i] += sum
		}
	}
	for _, i := range jobs {
		j := p.Jobs[i]
		var to []int
		for c := range f.cap {
			if knows[c][j.Technique] && at[spans[c]] >= j.Earliest && at[spans[c]+1] <= j.Latest+1 {
				to = append(to, c)
			}
		}
		// The latest first, so that early hours stay for others.
		slices.SortStableFunc(to, func(a, b int) int { return cmp.Compare(spans[b], spans[a]) })
		f.to = append(f.to, to)
	}
	return f, jobs
}

// push sends a job's work through the network, moving others' where that
// makes room, and says how much of it went.
func (f *flow) push(job int, want float64) float64 {
	const grain = 1e-9
	got := 0.0
	for got < want-grain {
		path, room := f.path(job)
		if path == nil {
			break
		}
		room = math.Min(room, want-got)
		f.send(path, room)
		got += room
	}
	return got
}

// step is a place on a way through the network, and the job that goes there.
type step struct{ job, place int }

// path finds a shortest way from a job to a place with room, on which each job
// gives up part of a place to the one before it.
func (f *flow) path(job int) ([]step, float64) {
	const grain = 1e-9
	from := make([]step, len(f.cap)) // the job that comes to a place, and the place it leaves
	for i := range from {
		from[i].job = -1
	}
	reached := make([]bool, f.jobs)
	reached[job] = true
	type node struct{ job, left int }
	queue := []node{{job, -1}}
	for len(queue) > 0 {
		n := queue[0]
		queue = queue[1:]
		for _, c := range f.to[n.job] {
			if from[c].job >= 0 {
				continue
			}
			from[c] = step{n.job, n.left}
			if f.cap[c] > grain {
				room := f.cap[c]
				var path []step
				for at := c; at >= 0; at = from[at].place {
					path = append(path, step{from[at].job, at})
					if left := from[at].place; left >= 0 {
						room = math.Min(room, f.used[left][from[at].job])
					}
				}
				return path, room
			}
			for _, other := range slices.Sorted(maps.Keys(f.used[c])) {
				if f.used[c][other] > grain && !reached[other] {
					reached[other] = true
					queue = append(queue, node{other, c})
				}
			}
		}
	}
	return nil, 0
}

// send moves work along a path: the last place gets it, and each job before
// leaves what it had for the one that comes.
func (f *flow) send(path []step, room float64) {
	f.cap[path[0].place] -= room
	for i, s := range path {
		f.used[s.place][s.job] += room
		if i+1 < len(path) {
			left := path[i+1].place
			f.used[left][s.job] -= room
		}
	}
}
