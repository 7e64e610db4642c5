// Package caliper turns stem diameters into classes, and a measured sample
// into what a whole lot holds.
//
// Lengths are millimetres. A class is half a millimetre wide and is named by
// its middle: 7.25 covers 7.0 up to, but not including, 7.5.
package caliper

import (
	"fmt"
	"math"
	"sort"

	"unionknot/internal/core/sizing"
)

// Class is a half-millimetre diameter class, counted from zero.
type Class int

// ClassOf gives the class of a diameter in mm.
func ClassOf(mm float64) Class { return Class(math.Floor(mm*2 + 1e-9)) }

// Middle is the class's name in mm.
func (c Class) Middle() float64 { return float64(c)/2 + 0.25 }

// Low is the smallest diameter in the class, in mm.
func (c Class) Low() float64 { return float64(c) / 2 }

// High is the diameter in mm at which the next class starts.
func (c Class) High() float64 { return float64(c)/2 + 0.5 }

// String gives the class as people say it: "7–7.5".
func (c Class) String() string { return fmt.Sprintf("%g–%g", c.Low(), c.High()) }

// Count is how many stems or pieces fall in a class.
type Count struct {
	Class Class
	N     int
}

// Tally counts diameters in mm by class, thinnest first.
func Tally(mm []float64) []Count {
	by := map[Class]int{}
	for _, d := range mm {
		by[ClassOf(d)]++
	}
	return Sorted(by)
}

// Sorted lists a map of class counts from the thinnest class up, leaving out
// classes that hold none.
func Sorted(by map[Class]int) []Count {
	out := make([]Count, 0, len(by))
	for c, n := range by {
		if n > 0 {
			out = append(out, Count{c, n})
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Class < out[j].Class })
	return out
}

// Total adds the counts up.
func Total(cs []Count) int {
	t := 0
	for _, c := range cs {
		t += c.N
	}
	return t
}

// FromSample spreads a lot of n stems over classes in proportion to a
// measured sample, rounded by largest remainder (ties to the lower class), so
// that the counts sum to n. With every stem measured they are the counts.
// An empty sample gives nil: nothing is known.
func FromSample(n int, sampleMM []float64) []Count {
	sample := Tally(sampleMM)
	k := Total(sample)
	if k == 0 || n <= 0 {
		return nil
	}
	return share(n, sample, k)
}

// FromGrade spreads a lot of n stems evenly over a grade of low to high mm.
// It gives nil for a grade without width.
func FromGrade(n int, low, high float64) []Count {
	if !(high > low) || low < 0 || n <= 0 {
		return nil
	}
	// Weights are the hundredths of a millimetre of the grade in each class.
	var ws []Count
	for c := ClassOf(low); c.Low() < high; c++ {
		w := math.Min(high, c.High()) - math.Max(low, c.Low())
		if hundredths := int(math.Round(w * 100)); hundredths > 0 {
			ws = append(ws, Count{c, hundredths})
		}
	}
	total := Total(ws)
	if total == 0 {
		return nil
	}
	return share(n, ws, total)
}

func share(n int, weights []Count, total int) []Count {
	out := make([]Count, len(weights))
	left := n
	rest := make([]int, len(weights)) // remainders over total
	order := make([]int, len(weights))
	for i, w := range weights {
		out[i] = Count{w.Class, n * w.N / total}
		rest[i] = n * w.N % total
		order[i] = i
		left -= out[i].N
	}
	sort.SliceStable(order, func(a, b int) bool { return rest[order[a]] > rest[order[b]] })
	for i := 0; i < left; i++ {
		out[order[i]].N++
	}
	kept := out[:0]
	for _, c := range out {
		if c.N > 0 {
			kept = append(kept, c)
		}
	}
	return kept
}

// Share is how much of a lot is at least some diameter, as a sample tells it.
type Share struct {
	Share, Low, High float64 // 0 to 1; Low to High is the 90 % beta interval
	Of               int     // stems measured
	More             int     // further stems to measure to halve the range
}

// AtLeast gives the share of stems of at least mm in a lot of n from which
// the sample was taken. The interval is that of a beta posterior on a flat
// prior; when the whole lot was measured it has no width.
func AtLeast(n int, sampleMM []float64, mm float64) Share {
	k, hit := len(sampleMM), 0
	for _, d := range sampleMM {
		if d >= mm {
			hit++
		}
	}
	if k == 0 {
		return Share{Low: 0, High: 1, More: n}
	}
	s := Share{Share: float64(hit) / float64(k), Of: k}
	if k >= n {
		s.Low, s.High = s.Share, s.Share
		return s
	}
	width := func(k int) (float64, float64) {
		h := s.Share * float64(k)
		r := sizing.Beta{Alpha: h + 1, Beta: float64(k) - h + 1}
		return r.Quantile(0.05), r.Quantile(0.95)
	}
	s.Low, s.High = width(k)
	// Where all or none are, the share itself stands at the range's end.
	s.Low, s.High = math.Min(s.Low, s.Share), math.Max(s.High, s.Share)
	want := (s.High - s.Low) / 2
	s.More = sort.Search(n-k, func(more int) bool {
		lo, hi := width(k + more)
		return hi-lo <= want
	})
	return s
}

// AtMost trims counts in proportion so that they sum to no more than n; it
// gives them unchanged when they already do.
func AtMost(cs []Count, n int) []Count {
	total := Total(cs)
	if total <= n {
		return cs
	}
	if n <= 0 {
		return nil
	}
	return share(n, cs, total)
}

// MoreToKnow is how many more stems of a lot of n to measure, at the share
// found so far, until the 90 % range of "at least mm" reaches no further than
// half to either side. It is 0 when the sample tells as much already.
func MoreToKnow(n int, sampleMM []float64, mm, half float64) int {
	k, hit := len(sampleMM), 0
	for _, d := range sampleMM {
		if d >= mm {
			hit++
		}
	}
	share := 0.5 // nothing measured: the least certain share there is
	if k > 0 {
		share = float64(hit) / float64(k)
	}
	if k >= n {
		return 0
	}
	return sort.Search(n-k, func(more int) bool {
		m := float64(k + more)
		if k+more == n {
			return true
		}
		b := sizing.Beta{Alpha: share*m + 1, Beta: (1-share)*m + 1}
		return b.Quantile(0.95)-b.Quantile(0.05) <= 2*half
	})
}
