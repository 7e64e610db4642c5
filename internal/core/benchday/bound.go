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
	cost   float64 // of what is late
	late   int     // grafts
	inTime []bool  // kinds that are in time whole, or for the most part
}

// bound works out what no plan can beat, with a share of everybody's hours.
//
// The amounts of work that can be in time are those a flow can carry from kinds
// to the hours of hands who know the technique, between a kind's first and last
// half-day. Such amounts form a polymatroid, on which taking the kinds in the
// order of what an hour of them is worth, each as far as it goes, is best
// (Edmonds 1970). Seats, stations, changeovers and whole tags only take away
// from that, but for one thing: a tag that has its label may run over an empty
// half-day, whose hours are then taken to be as many as the longest such tag.
func (s *shop) bound(share float64) relaxed { return s.relax(share, true, false) }

// chosen says which kinds are in time where there is a share of the hours.
func (s *shop) chosen(share float64) []bool { return s.relax(share, true).inTime }

// relax works out the cost of what is late, and for weighed false the count.
func (s *shop) relax(share float64, by ...bool) relaxed {
	out := relaxed{inTime: make([]bool, len(s.kinds))}
	for _, weighed := range by {
		f := s.flow(share)
		order := make([]int, len(s.kinds))
		for g := range order {
			order[g] = g
		}
		worth := func(g int) float64 {
			if !weighed {
				return 1 / s.kinds[g].perGraft
			}
			return s.kinds[g].weight / s.kinds[g].perGraft
		}
		slices.SortStableFunc(order, func(a, b int) int { return compare(worth(b), worth(a)) })
		late, cost := 0.0, 0.0
		for _, g := range order {
			k := s.kinds[g]
			need := float64(k.grafts) * k.perGraft
			got := f.push(g, need)
			n := (need - got) / k.perGraft
			late, cost = late+n, cost+n*k.weight
			if weighed && got > 0.6*need {
				out.inTime[g] = true
			}
		}
		if weighed {
			out.cost = cost
		} else {
			out.late = int(math.Ceil(late - 1e-6))
		}
	}
	for _, i := range s.fixed {
		if j := s.Jobs[i]; j.Slot > j.Latest {
			out.cost += j.Weight * float64(j.Grafts)
			out.late += j.Grafts
		}
	}
	return out
}

// flow is a network from kinds through stretches of time to the hours of hands
// with like skills.
type flow struct {
	to    [][]int // places each kind can use
	cap   []float64
	used  [][]float64 // by place and kind, what it takes of it
	kinds int
}

// flow gathers hands of the same skills and half-days between the same first
// and last days, which leaves the flow as it is and the network small.
func (s *shop) flow(share float64) *flow {
	cuts := map[int]bool{0: true, s.Slots: true}
	for _, k := range s.kinds {
		cuts[min(max(k.earliest, 0), s.Slots)] = true
		cuts[min(max(k.latest+1, 0), s.Slots)] = true
	}
	at := slices.Sorted(maps.Keys(cuts))
	taken := map[[2]int]float64{}
	for _, i := range s.fixed {
		j := s.Jobs[i]
		taken[[2]int{j.Hand, j.Slot}] += s.hours(j, j.Grafts)
	}
	over := s.longest()
	type place struct {
		skills string
		span   int
	}
	index, f := map[place]int{}, &flow{kinds: len(s.kinds)}
	var spans, hands []int
	for h, hand := range s.Hands {
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
			for slot := at[k]; slot < at[k+1]; slot++ {
				c := s.capacity(h, slot)
				if c > 0 && taken[[2]int{h, slot}] == 0 {
					c = max(c*share, over[h][slot])
				} else {
					c *= share
				}
				sum += max(0, c-taken[[2]int{h, slot}])
			}
			if sum == 0 {
				continue
			}
			i, ok := index[place{key, k}]
			if !ok {
				i = len(f.cap)
				index[place{key, k}] = i
				f.cap, f.used = append(f.cap, 0), append(f.used, make([]float64, len(s.kinds)))
				spans, hands = append(spans, k), append(hands, h)
			}
			f.cap[i] += sum
		}
	}
	for _, k := range s.kinds {
		var to []int
		for c := range f.cap {
			if s.knows[hands[c]][k.technique] && at[spans[c]] >= k.earliest && at[spans[c]+1] <= k.latest+1 {
				to = append(to, c)
			}
		}
		// The latest first, so that early hours stay for others.
		slices.SortStableFunc(to, func(a, b int) int { return cmp.Compare(spans[b], spans[a]) })
		f.to = append(f.to, to)
	}
	return f
}

// longest is, by hand and half-day, the hours of the longest tag that is not
// divided and could be made there in time; 0 for none.
func (s *shop) longest() [][]float64 {
	out := make([][]float64, len(s.Hands))
	for h := range out {
		out[h] = make([]float64, s.Slots)
		for _, k := range s.kinds {
			if !k.whole || !s.knows[h][k.technique] {
				continue
			}
			j := s.Jobs[k.jobs[0]]
			hours := s.hours(j, j.Grafts)
			for slot := max(0, k.earliest); slot <= k.latest && slot < s.Slots; slot++ {
				out[h][slot] = max(out[h][slot], hours)
			}
		}
	}
	return out
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
	reached := make([]bool, f.kinds)
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
			for other, n := range f.used[c] {
				if n > grain && !reached[other] {
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
