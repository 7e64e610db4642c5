package match

import (
	"context"
	"errors"
	"fmt"
	"math"

	"gonum.org/v1/gonum/stat/distuv"

	"unionknot/internal/core/own"
	"unionknot/internal/core/union"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/outlook"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
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
	Lay          union.Lay        // the house's way
	Placed       union.Placement  // where it puts the scion
	Laid         union.Contact    // laid so
	By           [3]union.Contact // by each way to lay it
	Face         union.Face
	Manner       union.Manner // beside its faces
	Advice       union.Advice
	Curve        []ShiftPoint
	HandSD       float64
	As           string // whose hand
	Hands        []HandChoice
	Way          store.HouseWay
	Working      working.Working
	OtherKind    string // another way that meets on more
	OtherContact float64
	Cannot       string // why these two cannot be cut so, or ""
}

// Union lays a scion on a stock by a technique, flush on one side, and says
// how much cambium meets.
func (s *Stage) Union(ctx context.Context, kind string, stems union.Stems, as string) (UnionPage, error) {
	p := UnionPage{Names: map[string]string{}, Kind: kind, Stems: stems}
	f, err := s.Facts(ctx)
	if err != nil {
		return p, err
	}
	hand := handChoices(f, &p, as)
	ts := f.AllWays
	wider := map[string]bool{}
	for _, t := range ts {
		p.Kinds = append(p.Kinds, t.Key)
		p.Names[t.Key] = t.Name
		wider[t.Key] = t.WiderAllowed
	}
	if p.Names[kind] == "" {
		p.Kind = "whip-and-tongue"
	}
	p.Way = f.Way(outlook.WayLay)
	if stems.Scion > stems.Stock && !wider[p.Kind] {
		p.Cannot = words.TheWoodIsWiderThan
		return p, nil
	}
	p.Lay = outlook.LayWay(p.Way)
	p.Face = outlook.FaceWay(f.Way(outlook.WayFace))
	p.Manner = outlook.MannerOf(f)
	p.Joint, err = union.For(p.Kind, stems, p.Face)
	if errors.Is(err, union.ErrCut) {
		p.Cannot = words.Capital(err.Error()) + "."
		return p, nil
	} else if err != nil {
		return p, err
	}
	for _, l := range []union.Lay{union.Flush, union.Tilted, union.Centred} {
		p.By[l] = p.Joint.At(p.Joint.Placed(l, p.HandSD), union.Tolerance)
	}
	p.Placed, p.Laid = p.Joint.Placed(p.Lay, p.HandSD), p.By[p.Lay]
	p.Advice = p.Joint.Advise(p.HandSD, union.Tolerance)
	reach := p.Joint.Flush*2 + 1
	for i := range 61 {
		u := reach * float64(i) / 60
		p.Curve = append(p.Curve, ShiftPoint{u, p.Joint.At(union.Placement{Shift: u}, union.Tolerance).MM})
	}
	best := p.By[union.Flush].MM * float64(p.Joint.Faces)
	for _, k := range p.rivals() {
		if j, err := union.For(k, stems, p.Face); err == nil {
			if mm := j.At(union.Placement{Shift: j.Flush}, union.Tolerance).MM * float64(j.Faces); mm > best+1 {
				best, p.OtherKind, p.OtherContact = mm, k, mm
			}
		}
	}
	mm := func(x float64) string { return fmt.Sprintf("%.2f mm", x) }
	p.Working = working.Working{
		Title:  words.CambiumThatMeets,
		Answer: fmt.Sprintf(words.NMmOnEachFace, p.Laid.MM, words.Pct(p.Laid.Share())),
		Rule:   words.WhereCambiumMeets,
		Range: fmt.Sprintf(
			words.XStrayingNMmN,
			hand.Says,
			p.HandSD,
			p.Advice.By[p.Lay].Expected,
			words.Pct(p.Advice.By[p.Lay].Any),
		),
		Says: words.TheTwoCutFacesAre,
		Inputs: []working.Input{
			{
				Name:   words.StockAtTheCut,
				Value:  mm(stems.Stock),
				Source: working.Entered,
			}, {Name: words.ScionAtTheCut, Value: mm(stems.Scion), Source: working.Entered},
			{
				Name: "Bark",
				Value: fmt.Sprintf(
					words.XOnTheStockX,
					mm(union.Bark(stems.Stock)),
					mm(union.Bark(stems.Scion)),
				),
				Source: working.HouseDefault,
			},
			{Name: words.CountsAsMeeting, Value: mm(union.Tolerance), Source: working.HouseDefault},
			{Name: "Laid", Value: p.Way.Chosen, Source: working.HouseWay},
			{Name: words.SetOverByFlush, Value: mm(p.Joint.Flush), Source: "geometry"},
			{Name: words.AHandStraysBy, Value: mm(p.HandSD) + hand.Range, Source: hand.Source},
		},
	}
	return p, nil
}

// LayNames are the ways to lay a thinner scion, in words.
var LayNames = [3]string{words.FlushOnOneSide, words.TiltedSoThatTheLines, "centred"}

// LaidSays is the house's way to lay it, in words.
func (p UnionPage) LaidSays() string { return LayNames[p.Lay] }

// Slant says that the faces are cut by the house's way.
func (p UnionPage) Slant() bool { return union.Slant(p.Kind) }

// ShortFace says that the house cuts its faces short.
func (p UnionPage) ShortFace() bool { return p.Face == union.Short }

// Warns is what the house's way to lay costs here, or "".
func (p UnionPage) Warns() string {
	if p.Lay == union.Centred && p.By[union.Flush].MM > p.By[union.Centred].MM+1 {
		return words.CentredThinnerWoodMeetsOn
	}
	return ""
}

// Serves says which way of laying serves the hand best, by its own figures.
func (p UnionPage) Serves() string {
	a := p.Advice
	most := words.MeetsOnMost
	if x := a.By[a.Serves].Expected; a.By[union.Tilted].Expected > x || a.By[union.Centred].Expected > x {
		most = words.MeetsOnAsMuchAs
	}
	says := fmt.Sprintf(
		words.ForThisHandLaidX,
		LayNames[a.Serves],
		most,
		a.By[a.Serves].Expected,
		a.By[union.Flush].Expected,
		a.Angle,
		a.By[union.Tilted].Expected,
		a.By[union.Centred].Expected,
	)
	if a.Surest != a.Serves {
		says += fmt.Sprintf(
			words.SurestToMeetAtAll,
			LayNames[a.Surest],
			words.Pct(a.By[a.Surest].Any),
			words.Pct(a.By[a.Serves].Any),
		)
	}
	return says
}

// rivals are other ways to join the same two: of the bench, not of the
// running season, whose bared bark would win by its nature.
func (p UnionPage) rivals() []string {
	var out []string
	kind := own.Base(p.Kind)
	for _, k := range []string{"whip-and-tongue", "cleft-one-side", "off-centre-cleft"} {
		if k != kind && !(k == "whip-and-tongue" && kind == "splice") {
			out = append(out, k)
		}
	}
	return out
}

// HandChoice is a hand that a union can be looked at as.
type HandChoice struct {
	Key, Name string // "steady", "a steady hand"; a person's key is their id
	Says      string
	SD        float64 // mm, sideways
	Range     string
	Source    string
}

// handChoices lists the hands, and sets the page to one; an unknown one gives
// the practised hand.
func handChoices(f *snapshot.Snapshot, p *UnionPage, as string) HandChoice {
	p.Hands = []HandChoice{{Key: "practised", Name: words.APractisedHand, SD: union.HandSD, Source: working.HouseDefault},
		{
			Key:    "steady",
			Name:   words.ASteadyHand,
			SD:     union.HandSD / 2,
			Source: working.HouseDefault,
		}, {Key: "new", Name: words.ANewHand, SD: union.HandSD * 2, Source: working.HouseDefault}}
	for _, x := range f.Strays {
		low, high := strayRange(x.N, x.SD)
		p.Hands = append(p.Hands, HandChoice{Key: fmt.Sprint(x.PersonID), Name: x.Name, SD: x.SD, Source: working.Measured,
			Range: fmt.Sprintf(words.FromUnionsCutOpen, low, high, x.N)})
	}
	for i := range p.Hands {
		p.Hands[i].Says = p.Hands[i].Name
	}
	chosen := p.Hands[0]
	for _, h := range p.Hands {
		if h.Key == as {
			chosen = h
		}
	}
	p.As, p.HandSD = chosen.Key, chosen.SD
	return chosen
}

// strayRange is the middle 90 % of a spread found from n strays about the mark.
func strayRange(n int, sd float64) (low, high float64) {
	chi := distuv.ChiSquared{K: float64(n)}
	ss := float64(n) * sd * sd
	return math.Sqrt(ss / chi.Quantile(0.95)), math.Sqrt(ss / chi.Quantile(0.05))
}

// fewestStrays is how many unions must be cut open to speak of a hand.
const fewestStrays = 5

// MeasureHand keeps how far somebody's placing strayed, in mm to either side,
// on unions that were cut open.
func (s *Stage) MeasureHand(ctx context.Context, a nursery.Actor, person int64, mm []float64) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	if len(mm) < fewestStrays || len(mm) > 1000 {
		return nursery.Problem{
			Field: "strays",
			Says: fmt.Sprintf(
				words.MeasureAtLeastNUnions,
				fewestStrays,
			),
		}
	}
	ss := 0.0
	for _, x := range mm {
		if math.Abs(x) > 10 || math.IsNaN(x) {
			return nursery.Problem{Field: "strays", Says: fmt.Sprintf(words.NMmIsNoStray, x)}
		}
		ss += x * x
	}
	sd := math.Max(0.01, math.Sqrt(ss/float64(len(mm))))
	return s.DB.Tx(ctx, func(q store.Q) error {
		p, err := q.Person(ctx, person)
		if err != nil {
			return err
		}
		if err := q.AddStray(ctx, store.Stray{PersonID: person, N: len(mm), SD: sd, ByID: a.ID, At: s.Now()}); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "person", p.Name, "placing measured", nil, map[string]any{"unions": len(mm), "sd_mm": sd})
	})
}
