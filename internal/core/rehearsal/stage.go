package rehearsal

import (
	"math"
	"sync"

	"gonum.org/v1/gonum/mathext"
	"gonum.org/v1/gonum/stat/distuv"
)

// A curve is a stage's share over a standard normal draw: it has the beta's own distribution.
// Between its points, a sixteenth apart, it is read off straight lines on the logit scale, on
// which it is nearly one; that strays by less than 1e-4.
type curve [2*curveReach*curveSteps + 1]float64

const (
	curveReach = 7 // standard deviations either way
	curveSteps = 16
)

// curves keeps what was worked out: the same stages are played again and again.
var curves = struct {
	sync.Mutex
	of map[Stage]*curve
}{of: map[Stage]*curve{}}

// mostCurves bounds what is kept.
const mostCurves = 256

func curveOf(s Stage) *curve {
	curves.Lock()
	defer curves.Unlock()
	if c, ok := curves.of[s]; ok {
		return c
	}
	if len(curves.of) >= mostCurves {
		clear(curves.of)
	}
	c := &curve{}
	for i := range c {
		z := float64(i)/curveSteps - curveReach
		// From the nearer end, so that neither tail is lost in rounding.
		low, high := distuv.UnitNormal.CDF(z), distuv.UnitNormal.CDF(-z)
		var x, rest float64
		if low < high {
			x = mathext.InvRegIncBeta(s.A, s.B, low)
			rest = 1 - x
		} else {
			rest = mathext.InvRegIncBeta(s.B, s.A, high)
			x = 1 - rest
		}
		c[i] = math.Max(-40, math.Min(40, math.Log(math.Max(x, 1e-300))-math.Log(math.Max(rest, 1e-300))))
	}
	curves.of[s] = c
	return c
}

// at gives the share for a draw.
func (c *curve) at(z float64) float64 {
	v := (math.Max(-curveReach, math.Min(curveReach, z)) + curveReach) * curveSteps
	i := min(int(v), len(c)-2)
	f := v - float64(i)
	return 1 / (1 + math.Exp(-(c[i]*(1-f) + c[i+1]*f)))
}
