package caliper

import (
	"errors"
	"math"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// Taper is how much thinner stems are higher up: mm for each cm above the usual
// cut, with its 90 % range; N stems were calipered at both heights, 0 where the
// figure was entered.
type Taper struct {
	PerCM, Low, High float64
	N                int
}

// Pair is one stem at the usual cut and higher up, in mm.
type Pair struct{ Low, High float64 }

// ErrTaper says that pairs give no taper: there are none, or a stem is thicker
// higher up.
var ErrTaper = errors.New("stems are as thick or thicker higher up")

// TaperOf works a lot's taper out from stems calipered at two heights so many cm
// apart. The range is that of the mean, by Student's t.
func TaperOf(ps []Pair, cm float64) (Taper, error) {
	if len(ps) == 0 || !(cm > 0) {
		return Taper{}, ErrTaper
	}
	per := make([]float64, len(ps))
	for i, p := range ps {
		per[i] = (p.Low - p.High) / cm
	}
	t := Taper{N: len(ps)}
	var sd float64
	t.PerCM, sd = stat.MeanStdDev(per, nil)
	if t.PerCM <= 0 {
		return t, ErrTaper
	}
	t.Low, t.High = t.PerCM, t.PerCM
	if len(ps) > 1 {
		q := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(len(ps) - 1)}.Quantile(0.95)
		d := q * sd / math.Sqrt(float64(len(ps)))
		t.Low, t.High = math.Max(0, t.PerCM-d), t.PerCM+d
	}
	return t, nil
}

// Higher is the class of a stem so many cm above the usual cut, where it is thinner
// by so many mm a cm.
func (c Class) Higher(perCM, cm float64) Class { return ClassOf(math.Max(0, c.Middle()-perCM*cm)) }
