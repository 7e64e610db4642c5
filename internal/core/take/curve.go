package take

import "math"

// CurvePoint is the take that all records would have had at a value of a covariate, all else
// as it was, with the middle 90 %.
type CurvePoint struct{ X, Take, Low, High float64 }

// Curve gives the standardised take over values of a fixed effect: Σ grafts·p ÷ Σ grafts with
// that column of every record put to x. Its band is that of the effect's own slope, about the
// mean of what was recorded, where it is narrowest; it costs one pass over the records a point.
func (f Fit) Curve(column int, xs []float64) []CurvePoint {
	m := f.at.m
	grafts, mean := 0.0, 0.0
	for i, n := range m.grafts {
		grafts += n
		mean += n * m.x[i*m.p+column]
	}
	mean /= grafts
	b, se := f.Fixed[column], f.FixedSE[column]
	at := func(x, slope float64) float64 {
		sum := 0.0
		for i, n := range m.grafts {
			own := m.x[i*m.p+column]
			// The mean record keeps its fitted take whatever the slope.
			sum += n * logistic(f.at.eta[i]+b*(mean-own)+slope*(x-mean))
		}
		return sum / grafts
	}
	const z90 = 1.6448536269514722
	out := make([]CurvePoint, len(xs))
	for i, x := range xs {
		p, q := at(x, b-z90*se), at(x, b+z90*se)
		out[i] = CurvePoint{X: x, Take: at(x, b), Low: math.Min(p, q), High: math.Max(p, q)}
	}
	return out
}
