// Package rehearsal plays a season some thousands of times before it is played: what is not
// known is drawn, shared by all that it touches, and the jobs of the plan are made or come too
// late. What comes out is the chance that each order is met, and what it hangs on.
//
// Effects are on the logit scale, days are whole numbers, counts are trees. The same season
// with the same seed has the same answer on any machine and any number of threads.
package rehearsal

import (
	"errors"
	"fmt"
	"math"

	"gonum.org/v1/gonum/mat"
)

// Belief is a normal belief of something.
type Belief struct{ Mean, SD float64 }

// Stage is a share that goes on from one stage to the next, as a beta belief: it is drawn once a
// season, for all jobs.
type Stage struct{ A, B float64 }

// Window is a season that shuts: the day, by its mean and standard deviation in days. On the
// day itself it is open.
type Window struct {
	Day int
	SD  float64
}

// Hand is somebody's working days, rising, each of which is missed with a chance of its own.
type Hand struct {
	Days   []int
	Absent float64
	// PaceSD is the standard deviation of the logarithm of their pace beside the one that is
	// planned with: slower, all their jobs come later, faster, sooner. 0 is known for certain.
	PaceSD float64
}

// Made is the hand of a job that is made already.
const Made = -1

// Job is grafts of one order that have the same effects.
type Job struct {
	Order, Grafts int
	Eta, EtaSD    float64 // its take beside the effects; drawn for each job
	Effects       []int   // of its worker, lot, bundle and what else it shares
	Hand, Day     int     // the hand's working day, from 0, as they turn out; Made for none
	Part          float64 // of that day by whose end it is made, 0 to 1; only pace asks for it
	Window        int     // below 0: it is not bound to one
	Sure          bool    // its grafts live already: only the stages to come count
	Buds          int     // on each stock, of which one suffices; 0 is 1
	From          int     // the first stage that is still to come for it
}

// Season is what is played.
type Season struct {
	Effects []Belief
	// Joint is the covariance of the first effects, which are drawn together; their standard
	// deviations in Effects are not used. nil: all are drawn apart from each other.
	Joint   *mat.SymDense
	Later   []Stage
	Windows []Window
	Hands   []Hand
	Jobs    []Job
	Orders  []int // trees wanted
}

// Certain is what is taken for known when a season is played again, to see what holds it back.
type Certain uint8

// What can be taken for known.
const (
	Takes   Certain = 1 << iota // effects, what is drawn for a job, and later stages, at their means
	Hands                       // nobody is away
	Windows                     // windows shut on their mean day
	Luck                        // of each share just so many live
	Nothing Certain = 0
)

// Outcome is how an order goes.
type Outcome struct {
	Met       float64 // share of seasons in which it is met
	Mean      float64 // trees
	Low, High int     // the least count of trees that 5, and 95, in 100 seasons do not exceed
	Short     float64 // trees lacking, on the mean
	Late      float64 // grafts not made, on the mean
	Trees     []int   // seasons by how many trees there were, from 0
}

// Answer is how a season goes.
type Answer struct {
	Seasons int
	Orders  []Outcome
	AllMet  float64
	// By how many orders fewer are met, of those that have it, where an effect, a window or a
	// hand's absences turn out one standard deviation worse.
	Effects, Windows, Hands []float64
	// Of says the same of each order: of its effects, by their places.
	Of []map[int]float64
}

// Short is the trees lacking of all orders.
func (a Answer) Short() (sum float64) {
	for _, o := range a.Orders {
		sum += o.Short
	}
	return sum
}

// Met is how many orders are met, on the mean.
func (a Answer) Met() (sum float64) {
	for _, o := range a.Orders {
		sum += o.Met
	}
	return sum
}

// Usual is how many seasons are played where nothing else is said, and Seed the one that is
// used then.
const (
	Usual = 20_000
	Seed  = 1
)

// ErrSeason is given for a season that makes no sense.
var ErrSeason = errors.New("not a season to play")

func (s *Season) check() error {
	for i, e := range s.Effects {
		if !(e.SD >= 0) || math.IsInf(e.SD, 0) || math.IsNaN(e.Mean) || math.IsInf(e.Mean, 0) {
			return fmt.Errorf("effect %d, %g ± %g: %w", i+1, e.Mean, e.SD, ErrSeason)
		}
	}
	for i, l := range s.Later {
		if !(l.A > 0) || !(l.B > 0) {
			return fmt.Errorf("stage %d, beta(%g, %g): %w", i+1, l.A, l.B, ErrSeason)
		}
	}
	for i, w := range s.Windows {
		if !(w.SD >= 0) {
			return fmt.Errorf("window %d, ± %g days: %w", i+1, w.SD, ErrSeason)
		}
	}
	for i, h := range s.Hands {
		if !(h.Absent >= 0 && h.Absent <= 1) || !(h.PaceSD >= 0) {
			return fmt.Errorf("hand %d, away %g of the time: %w", i+1, h.Absent, ErrSeason)
		}
		for d := 1; d < len(h.Days); d++ {
			if h.Days[d] <= h.Days[d-1] {
				return fmt.Errorf("hand %d: their days do not rise: %w", i+1, ErrSeason)
			}
		}
	}
	for i, j := range s.Jobs {
		switch {
		case j.Order < 0 || j.Order >= len(s.Orders):
			return fmt.Errorf("job %d is of no order: %w", i+1, ErrSeason)
		case j.Grafts < 0 || !(j.EtaSD >= 0) || math.IsNaN(j.Eta):
			return fmt.Errorf("job %d, %d grafts, %g ± %g: %w", i+1, j.Grafts, j.Eta, j.EtaSD, ErrSeason)
		case j.Hand >= len(s.Hands) || j.Hand < Made || j.Hand != Made && j.Day < 0 || j.Window >= len(s.Windows):
			return fmt.Errorf("job %d has no such hand, day or window: %w", i+1, ErrSeason)
		case j.From < 0 || j.From > len(s.Later):
			return fmt.Errorf("job %d begins at stage %d of %d: %w", i+1, j.From, len(s.Later), ErrSeason)
		}
		for _, e := range j.Effects {
			if e < 0 || e >= len(s.Effects) {
				return fmt.Errorf("job %d has no effect %d: %w", i+1, e, ErrSeason)
			}
		}
	}
	for i, n := range s.Orders {
		if n < 0 {
			return fmt.Errorf("order %d, %d trees: %w", i+1, n, ErrSeason)
		}
	}
	if s.Joint != nil && s.Joint.SymmetricDim() > len(s.Effects) {
		return fmt.Errorf("%d effects drawn together of %d: %w", s.Joint.SymmetricDim(), len(s.Effects), ErrSeason)
	}
	return nil
}

// jitter keeps a covariance of effects that are as good as known positive.
const jitter = 1e-9

// root gives the lower Cholesky factor of the joint covariance, its rows one after another.
func (s *Season) root() ([][]float64, error) {
	if s.Joint == nil {
		return nil, nil
	}
	n := s.Joint.SymmetricDim()
	v := mat.NewSymDense(n, nil)
	v.CopySym(s.Joint)
	for i := range n {
		v.SetSym(i, i, v.At(i, i)+jitter)
	}
	var c mat.Cholesky
	if !c.Factorize(v) {
		return nil, fmt.Errorf("what is drawn together is no covariance: %w", ErrSeason)
	}
	var l mat.TriDense
	c.LTo(&l)
	rows := make([][]float64, n)
	for i := range rows {
		rows[i] = make([]float64, i+1)
		for j := range rows[i] {
			rows[i][j] = l.At(i, j)
		}
	}
	return rows, nil
}
