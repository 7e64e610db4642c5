package nursery

import (
	"context"
	"errors"
	"fmt"

	"unionknot/internal/core/union"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// ShiftPoint is contact at one sideways shift.
type ShiftPoint struct{ Shift, MM float64 }

// UnionPage is what the union drawing shows.
type UnionPage struct {
	Kinds        []string
	Names        map[string]string
	Kind         string
	Stems        union.Stems
	Joint        union.Joint
	Laid         union.Contact // flush on one side
	Centred      union.Contact
	Advice       union.Advice
	Curve        []ShiftPoint
	HandSD       float64
	Way          store.HouseWay
	Working      working.Working
	OtherKind    string // another way that meets on more
	OtherContact float64
	Cannot       string // why these two cannot be cut so, or ""
}

// Union lays a scion on a stock by a technique, flush on one side, and says
// how much cambium meets.
func (s *Service) Union(ctx context.Context, kind string, stems union.Stems) (UnionPage, error) {
	q := s.db.Q()
	p := UnionPage{Names: map[string]string{}, Kind: kind, Stems: stems, HandSD: union.HandSD}
	ts, err := q.Techniques(ctx)
	if err != nil {
		return p, err
	}
	wider := map[string]bool{}
	for _, t := range ts {
		p.Kinds = append(p.Kinds, t.Key)
		p.Names[t.Key] = t.Name
		wider[t.Key] = t.WiderAllowed
	}
	if p.Names[kind] == "" {
		p.Kind = "whip-and-tongue"
	}
	if p.Way, err = q.HouseWay(ctx, "laying a thinner scion"); err != nil {
		return p, err
	}
	if stems.Scion > stems.Stock && !wider[p.Kind] {
		p.Cannot = "The wood is wider than the stock. Choose thinner wood or thicker stock."
		return p, nil
	}
	p.Joint, err = union.For(p.Kind, stems)
	if errors.Is(err, union.ErrCut) {
		p.Cannot = capital(err.Error()) + "."
		return p, nil
	} else if err != nil {
		return p, err
	}
	p.Laid = p.Joint.At(union.Placement{Shift: p.Joint.Flush}, union.Tolerance)
	p.Centred = p.Joint.At(union.Placement{}, union.Tolerance)
	p.Advice = p.Joint.Advise(p.HandSD, union.Tolerance)
	reach := p.Joint.Flush*2 + 1
	for i := range 61 {
		u := reach * float64(i) / 60
		p.Curve = append(p.Curve, ShiftPoint{u, p.Joint.At(union.Placement{Shift: u}, union.Tolerance).MM})
	}
	best := p.Laid.MM * float64(p.Joint.Faces)
	for _, k := range p.rivals() {
		if j, err := union.For(k, stems); err == nil {
			if mm := j.At(union.Placement{Shift: j.Flush}, union.Tolerance).MM * float64(j.Faces); mm > best+1 {
				best, p.OtherKind, p.OtherContact = mm, k, mm
			}
		}
	}
	f := func(x float64) string { return fmt.Sprintf("%.2f mm", x) }
	p.Working = working.Working{Title: "Cambium that meets", Answer: fmt.Sprintf("%.1f mm on each face, %s of the scion's line", p.Laid.MM, Pct(p.Laid.Share())), Rule: "where cambium meets",
		Range: fmt.Sprintf("a practised hand, straying %.1f mm: %.1f mm on average; some meets with a chance of %s", p.HandSD, p.Advice.Flush.Expected, Pct(p.Advice.Flush.Any)),
		Says:  "The two cut faces are laid together as curves in the plane of the cut. What is measured is the length of the scion's cambium that lies within the tolerance of the stock's. It is a fit figure, not a take.",
		Inputs: []working.Input{
			{Name: "Stock at the cut", Value: f(stems.Stock), Source: working.Entered}, {Name: "Scion at the cut", Value: f(stems.Scion), Source: working.Entered},
			{Name: "Bark", Value: fmt.Sprintf("%s on the stock, %s on the scion (0.3 + 0.07 × diameter)", f(union.Bark(stems.Stock)), f(union.Bark(stems.Scion))), Source: working.HouseDefault},
			{Name: "Counts as meeting", Value: f(union.Tolerance), Source: working.HouseDefault},
			{Name: "Set over by", Value: f(p.Joint.Flush), Source: "geometry"},
			{Name: "A hand strays by", Value: f(p.HandSD), Source: working.HouseDefault},
		}}
	return p, nil
}

// rivals are other ways to join the same two: of the bench, not of the
// running season, whose bared bark would win by its nature.
func (p UnionPage) rivals() []string {
	var out []string
	for _, k := range []string{"whip-and-tongue", "cleft-one-side", "off-centre-cleft"} {
		if k != p.Kind && !(k == "whip-and-tongue" && p.Kind == "splice") {
			out = append(out, k)
		}
	}
	return out
}
