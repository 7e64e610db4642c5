package cost

import (
	"math"

	"gonum.org/v1/gonum/stat/distuv"

	"unionknot/internal/core/sizing"
)

// Job is what an order is expected to take.
type Job struct {
	Trees     int             // to be delivered
	Grafts    int             // made for them at the chance that is planned with
	Few, Many int             // if the take runs at the top of its range, and at its foot
	Live      sizing.Interval // share of grafts that live
	Grade     float64         // share of live trees that are lifted and make the grade
	// What a graft takes, those that are spoiled with it; Hours of all heads together.
	Stems, Pieces, Joins, Labels, Hours, Days float64
}

// Quotation is what an order comes to before it is made, in cents.
type Quotation struct {
	Parts [parts]float64
	Cost  sizing.Interval // of all of it
	Tree  sizing.Interval // of a tree delivered
	Spare float64         // trees expected beyond those ordered
}

// Quote reckons an order from what a graft takes: all that goes into the grafts made for it,
// and the care of those that live. The range is what it comes to where the take runs at either
// end of its own and as many grafts are made as it then asks for. Trees to spare are not set
// against it.
func Quote(j Job, p Prices) Quotation {
	care := p.CareMinutes / 60 * p.Hour
	reckon := func(grafts int, live float64) (parts [parts]float64, total float64) {
		n := float64(grafts)
		parts = [len(parts)]float64{Stem: n * j.Stems * p.Stem, Wood: n * j.Pieces * p.Piece, Tie: n * j.Joins * p.Tie,
			Seal:   n * j.Joins * p.Seal,
			Labels: n * j.Labels * p.Label, Work: n * j.Hours * p.Hour, Aftercare: n * live * care, Overhead: n * j.Days * p.BenchDay}
		for _, x := range parts {
			total += x
		}
		return parts, total
	}
	var q Quotation
	q.Parts, q.Cost.Mean = reckon(j.Grafts, j.Live.Mean)
	_, few := reckon(j.Few, j.Live.High)
	_, many := reckon(j.Many, j.Live.Low)
	q.Cost.Low, q.Cost.High = math.Min(few, q.Cost.Mean), math.Max(many, q.Cost.Mean)
	n := float64(max(1, j.Trees))
	q.Tree = sizing.Interval{Mean: q.Cost.Mean / n, Low: q.Cost.Low / n, High: q.Cost.High / n}
	q.Spare = math.Max(0, float64(j.Grafts)*j.Live.Mean*j.Grade-float64(j.Trees))
	return q
}

// priceStep is what prices of trees are rounded up to, in cents. House default.
const priceStep = 5.0

// Price is what to ask for a tree, in cents: its cost and a margin on it, as a share, rounded
// up.
func (q Quotation) Price(margin float64) int {
	return int(math.Ceil(q.Tree.Mean*(1+margin)/priceStep-1e-9) * priceStep)
}

// odds are strips of equal chance of a take, by their middles.
const odds = 400

// Cheaper is the chance that a live union of a comes to less than one of b, by what is known of
// their takes (beta beliefs on flat priors); what went in is taken as it was. 0.5 where either
// has no counts.
func Cheaper(a, b Made, pa, pb Prices) float64 {
	if a.Counted <= 0 || b.Counted <= 0 || a.Grafts <= 0 || b.Grafts <= 0 {
		return 0.5
	}
	before := func(m Made, p Prices) float64 { // of a graft made
		s := Of(m, p)
		sum := 0.0
		for part, x := range s.Parts {
			if Part(part) != Aftercare {
				sum += x
			}
		}
		return sum / float64(m.Grafts)
	}
	ca, cb := before(a, pa), before(b, pb)
	if ca <= 0 || cb <= 0 {
		return 0.5
	}
	care := (pb.CareMinutes*pb.Hour - pa.CareMinutes*pa.Hour) / 60
	belief := func(m Made) sizing.Beta { return sizing.Beta{Alpha: 1, Beta: 1}.And(m.Alive, m.Counted) }
	ta, tb := belief(a), belief(b)
	below := distuv.Beta{Alpha: ta.Alpha, Beta: ta.Beta}
	chance := 0.0
	for i := range odds {
		y := tb.Quantile((float64(i) + 0.5) / odds)
		// a is cheaper where ca ÷ take < cb ÷ y + care.
		most := cb/y + care
		if most <= 0 {
			continue
		}
		chance += (1 - below.CDF(math.Min(1, ca/most))) / odds
	}
	return chance
}
