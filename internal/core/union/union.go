// Package union works out where cambium meets: it lays the two cut faces
// together as curves in the plane of the cut, and measures the length of the
// scion's cambium that lies within a tolerance of the stock's.
//
// Lengths are millimetres, angles degrees. Contact is a fit figure, for
// ranking and teaching; it is no take rate.
package union

import (
	"errors"
	"fmt"
	"math"
)

// House defaults.
const (
	Tolerance = 0.5 // how near counts as meeting
	HandSD    = 0.4 // spread of a practised hand's placing, sideways
)

// Bark is the thickness of bark on a stem: 0.3 + 0.07 × diameter. House
// default.
func Bark(diameter float64) float64 { return 0.3 + 0.07*diameter }

// ErrCut says that the measures given cannot be cut.
var ErrCut = errors.New("cannot be cut")

// Point is a place in the plane of the cut: X along the face, Y across it.
type Point struct{ X, Y float64 }

// Curve is a stretch of cambium, from 0 to 1 along it.
type Curve func(t float64) Point

// Bed is how far a point lies from the stock's cambium.
type Bed func(Point) float64

// Pair is a stretch of the scion's cambium with the stock's that it is to meet.
type Pair struct {
	Scion Curve
	Stock Bed
}

// Line is an outline to draw.
type Line struct {
	Of     string // "stock" or "scion"
	Part   string // "bark" or "cambium"
	Points []Point
}

// Size is a measure to cut to.
type Size struct {
	Name string
	MM   float64
}

// Joint is a technique's two faces, ready to be laid together.
type Joint struct {
	Technique string
	Faces     int     // alike faces of this kind
	Pairs     []Pair  // of one face
	Flush     float64 // sideways shift that lays one side flush
	Sizes     []Size
	Lines     []Line  // with the scion centred
	Length    float64 // of the face
}

// Placement is how the scion is laid on the stock.
type Placement struct {
	Shift float64 // sideways, from the centre
	Tilt  float64 // degrees, in the plane of the cut
}

// Stretch is a piece of the scion's cambium that meets the stock's.
type Stretch []Point

// Contact is how much meets at a placement, on one face.
type Contact struct {
	MM        float64
	Of        float64 // all of the scion's cambium on the face
	Stretches []Stretch
}

// Share is the part of the scion's cambium that meets.
func (c Contact) Share() float64 {
	if c.Of == 0 {
		return 0
	}
	return c.MM / c.Of
}

// samples is into how many steps a curve is cut; crossings within a step are
// found by halving it.
const samples = 720

// At measures contact at a placement, within a tolerance in mm.
func (j Joint) At(p Placement, within float64) Contact { return j.measure(p, within, samples, true) }

func (j Joint) measure(p Placement, within float64, steps int, draw bool) Contact {
	var c Contact
	put := j.placing(p)
	for _, pair := range j.Pairs {
		place := func(t float64) Point { return put(pair.Scion(t)) }
		meets := func(q Point) bool { return pair.Stock(q) <= within }
		last := place(0)
		in := meets(last)
		var run Stretch
		if in && draw {
			run = Stretch{last}
		}
		end := func() {
			if len(run) > 1 {
				c.Stretches = append(c.Stretches, run)
			}
			run = nil
		}
		for i := 1; i <= steps; i++ {
			t := float64(i) / float64(steps)
			q := place(t)
			now := meets(q)
			whole := distance(last, q)
			c.Of += whole
			switch {
			case in && now:
				c.MM += whole
			case in != now:
				lo, hi := t-1/float64(steps), t
				for range 12 {
					if m := (lo + hi) / 2; meets(place(m)) == in {
						lo = m
					} else {
						hi = m
					}
				}
				edge := place((lo + hi) / 2)
				if in {
					c.MM += distance(last, edge)
					if draw {
						run = append(run, edge)
						end()
					}
				} else {
					c.MM += distance(edge, q)
					if draw {
						run = Stretch{edge}
					}
				}
			}
			if now && draw {
				run = append(run, q)
			}
			last, in = q, now
		}
		end()
	}
	return c
}

// placing lays a point of the scion where a placement puts it: turned about the
// middle of the face, and moved over.
func (j Joint) placing(p Placement) func(Point) Point {
	sin, cos := math.Sincos(p.Tilt * math.Pi / 180)
	mid := j.Length / 2
	return func(q Point) Point {
		if p.Tilt != 0 {
			x := q.X - mid
			q = Point{mid + x*cos - q.Y*sin, x*sin + q.Y*cos}
		}
		q.Y += p.Shift
		return q
	}
}

// Drawn gives the joint's lines with the scion as a placement lays it.
func (j Joint) Drawn(p Placement) []Line {
	put := j.placing(p)
	out := make([]Line, 0, len(j.Lines))
	for _, l := range j.Lines {
		if l.Of == "scion" {
			placed := Line{Of: l.Of, Part: l.Part}
			for _, q := range l.Points {
				placed.Points = append(placed.Points, put(q))
			}
			l = placed
		}
		out = append(out, l)
	}
	return out
}

func distance(a, b Point) float64 { return math.Sqrt((a.X-b.X)*(a.X-b.X) + (a.Y-b.Y)*(a.Y-b.Y)) }

// Hand is what a hand's placing makes of a joint.
type Hand struct {
	Aim      float64 // shift aimed at
	Expected float64 // contact in mm on one face, on average
	Any      float64 // chance that any meets
}

// coarse is enough steps where many placements are averaged.
const coarse = 180

// ByHand averages contact over a hand's placing: normal around the aim with
// the hand's spread in mm, at a tilt in degrees.
func (j Joint) ByHand(aim, sd, tilt, within float64) Hand {
	h := Hand{Aim: aim}
	if sd <= 0 {
		c := j.measure(Placement{aim, tilt}, within, samples, false)
		h.Expected = c.MM
		if c.MM > 0 {
			h.Any = 1
		}
		return h
	}
	total := 0.0
	for i := -12; i <= 12; i++ { // out to three spreads, a quarter at a time
		z := float64(i) / 4
		w := math.Exp(-z * z / 2)
		c := j.measure(Placement{aim + z*sd, tilt}, within, coarse, false)
		h.Expected += w * c.MM
		if c.MM > 0 {
			h.Any += w
		}
		total += w
	}
	h.Expected /= total
	h.Any /= total
	return h
}

// Lay is how a thinner scion is laid.
type Lay int

// The ways there are to lay it.
const (
	Flush   Lay = iota // on one side
	Tilted             // in the middle, turned so that the lines cross
	Centred            // in the middle
)

// Advice is what each way of laying the scion makes of a hand's placing.
type Advice struct {
	By     [3]Hand // by Lay
	Best   Hand    // no tilt, the aim that meets on most
	Angle  float64 // of Tilted, in degrees
	Serves Lay     // which of the ways meets on most, on average; Flush if none is clearly ahead of it
	Surest Lay     // with which it is likeliest that any meets; Serves if none is clearly surer
}

// clearly is by how much a way must be ahead of flush to be advised: of the
// contact, and of the chance.
const (
	clearlyMore  = 1.02
	clearlySurer = 0.02
)

// Placed is where a way of laying puts the scion, for a hand that strays so.
func (j Joint) Placed(l Lay, sd float64) Placement {
	switch l {
	case Tilted:
		return Placement{Tilt: j.tilt(sd)}
	case Centred:
		return Placement{}
	}
	return Placement{Shift: j.Flush}
}

// mostTilt is the most, in degrees, that a scion is turned across its stock.
const mostTilt = 12

// tilt is the turn, in whole degrees, that meets on most for a hand that strays
// by sd mm about the middle: far enough that the scion's line crosses the
// stock's, and no further.
func (j Joint) tilt(sd float64) float64 {
	best, angle := -1.0, 1.0
	for deg := 1.0; deg <= mostTilt; deg++ {
		sum := 0.0
		for z := -2.0; z <= 2; z++ {
			sum += math.Exp(-z*z/2) * j.measure(Placement{z * sd, deg}, Tolerance, coarse, false).MM
		}
		if sum > best+1e-9 {
			best, angle = sum, deg
		}
	}
	return angle
}

// Advise sets the ways of laying the scion beside each other for a hand that
// strays by sd mm, and finds the aim that serves it best.
func (j Joint) Advise(sd, within float64) Advice {
	a := Advice{Angle: j.tilt(sd)}
	for _, l := range []Lay{Flush, Tilted, Centred} {
		p := j.Placed(l, sd)
		a.By[l] = j.ByHand(p.Shift, sd, p.Tilt, within)
		if a.By[l].Expected > a.By[a.Serves].Expected {
			a.Serves = l
		}
		if a.By[l].Any > a.By[a.Surest].Any {
			a.Surest = l
		}
	}
	if a.By[a.Serves].Expected <= clearlyMore*a.By[Flush].Expected {
		a.Serves = Flush
	}
	if a.By[a.Surest].Any <= a.By[a.Serves].Any+clearlySurer {
		a.Surest = a.Serves
	}
	a.Best = a.By[Flush]
	if a.By[Centred].Expected > a.Best.Expected {
		a.Best = a.By[Centred]
	}
	// From the centre to past flush: contact along the way is worked out once, and
	// each aim averages over where a hand lands.
	reach := math.Abs(j.Flush) + 1.5*within
	const points = 80
	low, high := -3*sd, reach+3*sd
	var curve [points + 1]float64
	for i := range curve {
		u := low + (high-low)*float64(i)/points
		curve[i] = j.measure(Placement{Shift: math.Copysign(1, j.Flush) * u}, within, coarse, false).MM
	}
	at := func(u float64) float64 {
		x := (u - low) / (high - low) * points
		i := min(points-1, max(0, int(x)))
		return curve[i] + (curve[i+1]-curve[i])*(x-float64(i))
	}
	best, aim := a.Best.Expected, -1.0
	for i := 0; i <= points; i++ {
		u := reach * float64(i) / points
		sum, total := 0.0, 0.0
		for z := -3.0; z <= 3; z += 0.25 {
			w := math.Exp(-z * z / 2)
			sum, total = sum+w*at(u+z*sd), total+w
		}
		if sum/total > best+1e-6 {
			best, aim = sum/total, u
		}
	}
	if aim >= 0 {
		if h := j.ByHand(math.Copysign(aim, j.Flush), sd, 0, within); h.Expected > a.Best.Expected {
			a.Best = h
		}
	}
	return a
}

// Stems are the two that are joined. A bark thickness of 0 takes Bark.
type Stems struct {
	Stock, Scion         float64 // diameters at the cut
	StockBark, ScionBark float64
}

// radii gives R, r, and those at the cambium, Rc and rc.
func (s Stems) radii() (R, r, Rc, rc float64, err error) {
	if s.StockBark == 0 {
		s.StockBark = Bark(s.Stock)
	}
	if s.ScionBark == 0 {
		s.ScionBark = Bark(s.Scion)
	}
	R, r = s.Stock/2, s.Scion/2
	Rc, rc = R-s.StockBark, r-s.ScionBark
	if !(Rc > 0 && rc > 0 && R < 1000 && r < 1000) {
		return R, r, Rc, rc, fmt.Errorf("%g mm stock, %g mm wood: %w", s.Stock, s.Scion, ErrCut)
	}
	return R, r, Rc, rc, nil
}
