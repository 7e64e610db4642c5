package results

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"time"

	"unionknot/internal/core/sizing"
	"unionknot/internal/core/take"
	"unionknot/internal/outlook"
	"unionknot/internal/store"
)

// Practice is a worker's take over how many grafts they had made before, of the technique that
// they made most of.
type Practice struct {
	Technique string            // its key
	Curve     []take.CurvePoint // X in grafts made before
	Raw       []Point
	By        sizing.Interval // each doubling, in shares of a take
}

// House defaults of the practice curve: the grafts from which a doubling is counted, and on how
// many counted tags it is drawn.
const (
	practiceFrom = 25
	practiceTags = 10
	practice     = "practice"
)

// practiceOf weighs a worker's tags by how many they had made before; lots and bundles are
// weighed out. Nothing where there are too few.
func practiceOf(rs []store.TakeRecord) (p Practice, err error) {
	by := map[string]int{}
	for _, r := range rs {
		by[r.Technique] += r.Grafts
	}
	for key, n := range by { // what they made most of
		if n > by[p.Technique] || n == by[p.Technique] && key < p.Technique {
			p.Technique = key
		}
	}
	rs = slices.DeleteFunc(slices.Clone(rs), func(r store.TakeRecord) bool { return r.Technique != p.Technique })
	if len(rs) < practiceTags {
		return p, nil
	}
	slices.SortStableFunc(rs, func(a, b store.TakeRecord) int { return a.Day.Compare(b.Day) })
	records := outlook.RecordsOf(rs)
	made := 0
	stretches := map[int]*Point{}
	most := 0
	for i, r := range rs {
		n := made
		made += r.Grafts
		most = max(most, n)
		records[i].Amounts = map[string]float64{practice: doublings(float64(n))}
		from, to := stretch(n)
		if stretches[from] == nil {
			stretches[from] = &Point{Label: fmt.Sprintf("%d–%d", from, to), X: float64(from+to) / 2}
		}
		stretches[from].Took, stretches[from].Counted = stretches[from].Took+r.Took, stretches[from].Counted+r.Grafts
	}
	for _, x := range stretches {
		x.Take = sizing.Beta{Alpha: 1, Beta: 1}.And(x.Took, x.Counted).Interval90()
		x.X = math.Min(x.X, float64(most))
		p.Raw = append(p.Raw, *x)
	}
	slices.SortFunc(p.Raw, func(a, b Point) int { return cmp.Compare(a.X, b.X) })
	d := take.FromRecords(records, take.Base(records, ""))
	j := slices.Index(d.Fixed, take.AmountColumn(practice))
	if j < 0 {
		return p, nil
	}
	fit, err := take.Solve(d)
	if err != nil {
		return p, fmt.Errorf("weighing %d tags by practice: %w", len(rs), err)
	}
	// The column counts from the mean of what was recorded.
	mean, grafts := 0.0, 0.0
	for _, r := range records {
		mean, grafts = mean+float64(r.Grafts)*r.Amounts[practice], grafts+float64(r.Grafts)
	}
	mean /= grafts
	var at, xs []float64
	for i := range curveSteps + 1 {
		n := float64(most) * float64(i) / curveSteps
		at, xs = append(at, n), append(xs, doublings(n)-mean)
	}
	p.Curve = fit.Curve(j, xs)
	for i := range p.Curve {
		p.Curve[i].X = at[i]
	}
	p.By = movedBy(fit, d, j, 1)
	return p, nil
}

// doublings is how often the number of grafts made doubled.
func doublings(made float64) float64 { return math.Log2(1 + made/practiceFrom) }

// stretch is the doubling in which a number of grafts lies.
func stretch(made int) (from, to int) {
	for to = practiceFrom; made >= to; {
		from, to = to, 2*to
	}
	return from, to
}

// Week is what somebody made in a week that is counted.
type Week struct {
	From    time.Time // its Monday
	Grafts  int
	Hours   float64 // by the taps; 0 not known
	PerHour float64
	Take    float64
}

// weeksShown is how many of the last weeks a worker's page has. House default.
const weeksShown = 12

// weeksOf sums a worker's counted tags by week, the last first.
func weeksOf(ds []store.TagDetail) (out []Week) {
	took, timed := map[time.Time]int{}, map[time.Time]int{}
	at := map[time.Time]int{}
	for _, d := range ds {
		monday := d.Day.AddDate(0, 0, -(int(d.Day.Weekday())+6)%7)
		i, ok := at[monday]
		if !ok {
			i = len(out)
			at[monday], out = i, append(out, Week{From: monday})
		}
		out[i].Grafts += d.Joins
		took[monday] += d.Took
		if d.Hours > 0 {
			out[i].Hours += d.Hours
			timed[monday] += d.Tied * max(1, d.Buds)
		}
	}
	for i := range out {
		w := &out[i]
		w.Take = float64(took[w.From]) / float64(max(1, w.Grafts))
		if w.Hours > 0 {
			w.PerHour = float64(timed[w.From]) / w.Hours
		}
	}
	slices.SortFunc(out, func(a, b Week) int { return b.From.Compare(a.From) })
	return out[:min(len(out), weeksShown)]
}

// HourPace is a worker's pace in an hour of the day.
type HourPace struct {
	Hour    int // in which the tag was finished, in the house's zone
	Grafts  int
	PerHour float64
}

// pacesByHour sums pace over the day, of the tags that were timed.
func pacesByHour(ds []store.TagDetail) (out []HourPace) {
	hours, grafts := map[int]float64{}, map[int]int{}
	for _, d := range ds {
		if d.Hours > 0 && d.Hour >= 0 {
			hours[d.Hour] += d.Hours
			grafts[d.Hour] += d.Tied * max(1, d.Buds)
		}
	}
	for h := range 24 {
		if hours[h] > 0 {
			out = append(out, HourPace{h, grafts[h], float64(grafts[h]) / hours[h]})
		}
	}
	return out
}
