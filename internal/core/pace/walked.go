package pace

import (
	"cmp"
	"math"
	"slices"
	"time"
)

// Mark is a step that somebody noted as done on so many trees at one time.
type Mark struct {
	Person int64
	At     time.Time
	Trees  int
}

// House defaults of what lies between two marks.
const (
	apart = time.Minute // under which marks are of one tap
	lying = 4.0         // times the house's rate, either way, past which it was not the work alone
)

// Walked adds up how fast people did a step along a walk: what one of them marks was done since
// their last mark of the day. It leaves out the first of a day, what is too few trees, and times
// that are no more the work's alone: over four times as long as the house's rate in trees an hour
// has it, or under a quarter. Marks may come in any order.
func Walked(marks []Mark, rate float64) Record {
	marks = slices.Clone(marks)
	slices.SortFunc(marks, func(a, b Mark) int { return cmp.Or(cmp.Compare(a.Person, b.Person), a.At.Compare(b.At)) })
	out := Record{Rate: rate}
	if rate <= 0 {
		return out
	}
	var last Mark // with those noted within a minute of each other as one
	for i := 0; i < len(marks); {
		m := marks[i]
		for i++; i < len(marks) && marks[i].Person == m.Person && marks[i].At.Sub(m.At) < apart; i++ {
			m.Trees += marks[i].Trees
		}
		took := m.At.Sub(last.At)
		same := last.Person == m.Person && sameDay(last.At, m.At)
		last = m
		if !same || m.Trees < fewGrafts || took > longest {
			continue
		}
		hour := float64(m.Trees) / took.Hours()
		if hour > rate*lying || hour < rate/lying {
			continue
		}
		out.Tags++
		out.Grafts += float64(m.Trees)
		out.Hours += took.Hours()
		out.LogSum += math.Log(hour)
		out.LogSq += math.Log(hour) * math.Log(hour)
	}
	return out
}

func sameDay(a, b time.Time) bool {
	y, m, d := a.Date()
	y2, m2, d2 := b.Date()
	return y == y2 && m == m2 && d == d2
}
