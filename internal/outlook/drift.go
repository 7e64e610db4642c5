package outlook

import (
	"net/url"
	"strings"

	"unionknot/internal/snapshot"
	"unionknot/internal/words"
)

// Drift is how far a place where grafts heal is from the temperature it is set to, and
// what that does to their looks.
type Drift struct {
	Place string
	NowC  float64
	SetC  float64
	Out   bool // now outside its band
	Days  int  // by which the first looks are moved; below 0 they come sooner
	Tags  int  // whose looks are moved
	Trees int
}

// driftDays is by how many days looks must be moved until it is spoken of. House
// default.
const driftDays = 2

// Drift gives a place's, by what stands there and waits for its first look; false
// where it is in its band and moves nothing.
func (n *Nursing) Drift(p snapshot.Place, gs []Growing) (Drift, bool) {
	d := Drift{Place: p.Name, SetC: p.SetC}
	if len(p.Readings) == 0 {
		return d, false
	}
	d.NowC = p.Readings[len(p.Readings)-1].C
	d.Out = d.NowC < p.LowC || d.NowC > p.HighC
	for _, g := range gs {
		if len(g.Looks) > 0 || !g.Made.Boxed() || !strings.EqualFold(g.Stands(), p.Name) {
			continue
		}
		still := g.Made
		still.Box = nil
		by := int(g.Plan.Callused.Best - still.Callus().Best)
		if by >= driftDays || by <= -driftDays {
			d.Tags, d.Trees = d.Tags+1, d.Trees+g.Standing
			if d.Days == 0 || max(by, -by) > max(d.Days, -d.Days) {
				d.Days = by
			}
		}
	}
	return d, d.Out || d.Tags > 0
}

// DriftsOf lists the healing places that are out of their band or move looks.
func DriftsOf(n *Nursing, gs []Growing) []Drift {
	var out []Drift
	for _, p := range n.F.Places {
		if p.Kind == "heal" {
			if d, ok := n.Drift(p, gs); ok {
				out = append(out, d)
			}
		}
	}
	return out
}

// GrowRisks are the places where grafts heal that are off, what is late of what
// follows, and what stands tender in frost or heat.
func GrowRisks(n *Nursing, gs []Growing, beds []Bed) []Risk {
	var out []Risk
	for _, d := range DriftsOf(n, gs) {
		says, do := words.Drifts(d.NowC, d.SetC, d.Out, d.Days, d.Tags)
		out = append(out, Risk{Where: d.Place, Says: says, Do: do, Path: placePath(d.Place), worst: badness["warmth"]})
	}
	for _, a := range n.F.Amiss {
		says, do := words.Amiss(a.What)
		out = append(out, Risk{Where: a.Place, Says: words.SeenBy(says, a.By, a.At), Do: do, Path: placePath(a.Place), Amiss: a.ID,
			worst: badness["amiss"]})
	}
	for _, x := range ExposedOf(n, gs) {
		says, do := words.Exposed(x.C, x.Frost, x.Tender)
		out = append(out, Risk{Where: x.Place, Says: says, Do: do, Path: "/grow", worst: badness["frost"]})
	}
	for _, l := range LateOf(beds) {
		if l.Step.Loses == 0 {
			continue
		}
		says := words.LateStep(l.Step.Name, l.Step.N, l.Step.Window, n.Today, l.Step.Trees)
		out = append(out, Risk{Where: l.Bed.Place, Says: says, Do: words.LosesSays(l.Step.Name, l.Step.Loses, l.Step.Own),
			Path:  "/grow/walk#" + l.Bed.Place,
			worst: badness["keep"]})
	}
	return out
}

// placePath is the address of a place's page.
func placePath(name string) string { return "/heal/place?" + url.Values{"name": {name}}.Encode() }

// DueOn are the beds with a step or a round that is due, for Today.
func DueOn(beds []Bed) (out []Bed) {
	for _, b := range beds {
		if b.Due() > 0 {
			out = append(out, b)
		}
	}
	return out
}
