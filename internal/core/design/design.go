// Package design shares out the next batches so that their counts tell the most: which worker,
// stock lot and wood bundle should meet, for the comparisons between workers and between lots
// to come out with the narrowest ranges.
//
// The measure is the expected one of the take model, A-optimal and Bayesian: the mean variance
// of the difference between two of a set, on the logit scale, after the tags planned are
// counted too, given all that is counted already.
package design

import (
	"errors"
	"fmt"
	"slices"

	"gonum.org/v1/gonum/mat"
)

// Tag is grafts of one worker from one lot and bundle. Its effects are columns of the
// covariance that New is given.
type Tag struct {
	Worker int
	Others []int   // its lot's, bundle's, technique's, and the intercept's
	Weight float64 // what its count tells: grafts × take × (1 − take)
}

// ErrSingular is given for a covariance that is none.
var ErrSingular = errors.New("not a covariance")

// Design is tags as they are shared out, with what their counts will tell.
type Design struct {
	sets [][]int
	tags []Tag
	v, c *mat.Dense // the covariance after all tags are counted, and v × A × v
}

// jitter is added to variances before, so that an effect known for certain does no harm.
const jitter = 1e-9

// New reckons what tags tell of the differences within each set of columns, before being the
// covariance of all columns by what is counted already.
func New(before *mat.SymDense, sets [][]int, tags []Tag) (*Design, error) {
	d := &Design{sets: sets, tags: slices.Clone(tags)}
	n := before.SymmetricDim()
	for i := range n {
		before.SetSym(i, i, before.At(i, i)+jitter)
	}
	var c mat.Cholesky
	var told mat.SymDense
	if !c.Factorize(before) || c.InverseTo(&told) != nil {
		return nil, fmt.Errorf("what is known before: %w", ErrSingular)
	}
	for i, t := range tags {
		row := append([]int{t.Worker}, t.Others...)
		for _, a := range row {
			if a < 0 || a >= n {
				return nil, fmt.Errorf("tag %d: column %d of %d: %w", i+1, a, n, ErrSingular)
			}
			for _, b := range row {
				if a <= b {
					told.SetSym(a, b, told.At(a, b)+t.Weight)
				}
			}
		}
	}
	var after mat.SymDense
	if !c.Factorize(&told) || c.InverseTo(&after) != nil {
		return nil, fmt.Errorf("what is known after: %w", ErrSingular)
	}
	d.v = mat.NewDense(n, n, nil)
	d.v.Copy(&after)
	d.center()
	return d, nil
}

// update changes the covariance by information u·diag(w)·u′.
func (d *Design) update(u *mat.Dense, w []float64) {
	k := len(w)
	var p, inner, x mat.Dense
	p.Mul(d.v, u)
	inner.Mul(u.T(), &p)
	for i := range k {
		inner.Set(i, i, inner.At(i, i)+1/w[i])
	}
	if x.Solve(&inner, p.T()) != nil {
		return // nothing is told by it
	}
	var change mat.Dense
	change.Mul(&p, &x)
	d.v.Sub(d.v, &change)
}

// center works c = v·A·v out, A being what takes the mean variance of differences of a
// covariance: of a set of k, 2/(k − 1) × (I − 11′/k).
func (d *Design) center() {
	n, _ := d.v.Dims()
	d.c = mat.NewDense(n, n, nil)
	for _, s := range d.sets {
		k := float64(len(s))
		if k < 2 {
			continue
		}
		rows := mat.NewDense(len(s), n, nil)
		mean := make([]float64, n)
		for i, c := range s {
			for j := range n {
				x := d.v.At(c, j)
				rows.Set(i, j, x)
				mean[j] += x / k
			}
		}
		for i := range s {
			for j := range n {
				rows.Set(i, j, rows.At(i, j)-mean[j])
			}
		}
		var part mat.Dense
		part.Mul(rows.T(), rows)
		part.Scale(2/(k-1), &part)
		d.c.Add(d.c, &part)
	}
}

// Tags are the tags as they are shared out now.
func (d *Design) Tags() []Tag { return slices.Clone(d.tags) }

// Difference is the mean variance of the difference between two of a set, on the logit scale,
// once the tags are counted; 0 for a set of fewer than two.
func (d *Design) Difference(set int) float64 {
	s := d.sets[set]
	k := float64(len(s))
	if k < 2 {
		return 0
	}
	trace, all := 0.0, 0.0
	for _, a := range s {
		trace += d.v.At(a, a)
		for _, b := range s {
			all += d.v.At(a, b)
		}
	}
	return 2 / (k - 1) * (trace - all/k)
}

// Total is what is made small: the differences of all sets together.
func (d *Design) Total() float64 {
	sum := 0.0
	for s := range d.sets {
		sum += d.Difference(s)
	}
	return sum
}

// swapped lists the rows of the model that an exchange of two lots of tags takes out and puts
// in, and their weights, those taken out below zero. Tags with the same columns are one row.
func (d *Design) swapped(a, b []int) (rows [4][]int, weights [4]float64) {
	row := func(of []int, worker int) []int { return append([]int{worker}, d.tags[of[0]].Others...) }
	sum := func(of []int) (w float64) {
		for _, i := range of {
			w += d.tags[i].Weight
		}
		return w
	}
	wa, wb := d.tags[a[0]].Worker, d.tags[b[0]].Worker
	return [4][]int{row(a, wa), row(b, wb), row(a, wb), row(b, wa)}, [4]float64{-sum(a), -sum(b), sum(a), sum(b)}
}

// Gain is by how much Total would fall, were tags a made by the worker of b and tags b by that
// of a. The tags of each have the same columns.
func (d *Design) Gain(a, b []int) float64 {
	rows, w := d.swapped(a, b)
	var inner, mid [16]float64
	for i := range 4 {
		for j := range i + 1 {
			v, c := 0.0, 0.0
			for _, x := range rows[i] {
				for _, y := range rows[j] {
					v += d.v.At(x, y)
					c += d.c.At(x, y)
				}
			}
			inner[i*4+j], inner[j*4+i], mid[i*4+j], mid[j*4+i] = v, v, c, c
		}
		if w[i] == 0 {
			return 0
		}
		inner[i*4+i] += 1 / w[i]
	}
	var x mat.Dense
	if x.Solve(mat.NewDense(4, 4, inner[:]), mat.NewDense(4, 4, mid[:])) != nil {
		return 0
	}
	return mat.Trace(&x)
}

// Exchange gives tags a to the worker of b and tags b to that of a.
func (d *Design) Exchange(a, b []int) {
	rows, w := d.swapped(a, b)
	n, _ := d.v.Dims()
	u := mat.NewDense(n, 4, nil)
	for i, r := range rows {
		for _, c := range r {
			u.Set(c, i, u.At(c, i)+1)
		}
	}
	d.update(u, w[:])
	d.center()
	wa, wb := d.tags[a[0]].Worker, d.tags[b[0]].Worker
	for _, i := range a {
		d.tags[i].Worker = wb
	}
	for _, i := range b {
		d.tags[i].Worker = wa
	}
}

// Bench says what may change hands, and notes it when it does. Lots are of tags with the same
// columns.
type Bench interface {
	// Places is how many places there are within which tags may change hands: half-days.
	Places() int
	// Lots are the lots of tags of a place.
	Lots(place int) [][]int
	// May says whether two lots of a place may change hands with each other.
	May(a, b []int) bool
	Exchange(a, b []int)
}

// House defaults of the search.
const (
	leastGain = 1e-4 // of Total: what is less is not worth another's work
	sweeps    = 4
)

// Improve exchanges tags, the best exchange of a half-day first, for as long as that tells
// more. It gives how many exchanges it made; the same on any machine.
func (d *Design) Improve(b Bench) (exchanges int) {
	for range sweeps {
		before := exchanges
		for place := range b.Places() {
			for {
				x, y, gain := d.best(b, place)
				if gain <= leastGain*d.Total() {
					break
				}
				d.Exchange(x, y)
				b.Exchange(x, y)
				exchanges++
			}
		}
		if exchanges == before {
			break
		}
	}
	return exchanges
}

func (d *Design) best(b Bench, place int) (x, y []int, gain float64) {
	lots := b.Lots(place)
	for i, p := range lots {
		for _, q := range lots[:i] {
			if d.tags[p[0]].Worker == d.tags[q[0]].Worker || !b.May(p, q) {
				continue
			}
			if g := d.Gain(p, q); g > gain {
				x, y, gain = p, q, g
			}
		}
	}
	return x, y, gain
}
