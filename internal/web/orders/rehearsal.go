package orders

import (
	"cmp"
	"fmt"
	"html/template"
	"math"
	"net/http"
	"slices"

	"github.com/go-chi/chi/v5"

	"unionknot/internal/core/working"
	"unionknot/internal/exchange"
	"unionknot/internal/nursery"
	rehearsestage "unionknot/internal/nursery/rehearse"
	"unionknot/internal/web/draw"
	"unionknot/internal/web/page"
	"unionknot/internal/words"
)

type playedLine struct {
	rehearsestage.Going
	Seasons int
	Drawing template.HTML
	Class   string
	Since   string
	Working working.Working
	Does    *leverLine
	HangsOn []string
}

type leverLine struct {
	rehearsestage.Lever
	Says, FromTo, All string
}

type hangLine struct{ Says, By, Alone string }

type setLine struct {
	rehearsestage.Set
	Levers []leverLine
}

type rehearsalPage struct {
	rehearsestage.Rehearsed
	Lines    []playedLine
	Worst    *playedLine
	Chief    string // what most hang on
	Held     template.HTML
	Hangs    []hangLine
	Sum      string
	Problem  string
	Set      *setLine
	Promises rehearsestage.Promises
	Kept     template.HTML
}

// usualSum is what is worked out with at first, in cents. House default.
const usualSum = 25_000

func leverOf(l rehearsestage.Lever, all float64) leverLine {
	out := leverLine{Lever: l, Says: words.LeverSays(string(l.Kind), l.N, l.Name), FromTo: words.FromTo(l.From, l.To)}
	if l.AllTo > all+0.005 {
		out.All = words.FromTo(all, l.AllTo)
	}
	return out
}

// House defaults of how a chance is coloured.
const (
	safeChance = 0.9
	fairChance = 0.75
)

func lineOf(x rehearsestage.Rehearsed, o rehearsestage.Going) playedLine {
	l := playedLine{Going: o, Seasons: x.Seasons, Class: chanceClass(o.Out)}
	says := fmt.Sprintf("%s: %d to %d trees in 90 seasons of 100, %d promised", o.Order.Code, o.Out.Low, o.Out.High, o.Order.Trees)
	l.Drawing = draw.Seasons(o.Out, o.Order.Trees, says)
	if o.Was != nil && x.BeforeOn != nil {
		l.Since = words.Since(*o.Was, o.Out.Met, x.BeforeOn.Format("2 January"))
	}
	se := math.Sqrt(o.Out.Met * (1 - o.Out.Met) / float64(max(1, x.Seasons)))
	l.Working = working.Working{Title: o.Order.Code, Answer: words.InHundred(o.Out.Met), Rule: words.RehearsalRule,
		Says:  words.RehearsalSays,
		Range: fmt.Sprintf("± %.1f", 100*1.6449*se),
		Inputs: []working.Input{
			{Name: words.RehearsalSeasons, Value: words.Thousands(x.Seasons), Source: working.HouseDefault},
			{Name: words.RehearsalGrafts, Value: words.Thousands(o.Grafts), Source: working.OwnRecords},
			{Name: words.RehearsalTrees, Value: fmt.Sprintf("%d–%d", o.Out.Low, o.Out.High), Source: working.OwnRecords},
			{Name: words.RehearsalShort, Value: fmt.Sprintf("%.1f", o.Out.Short), Source: working.OwnRecords},
			{Name: words.RehearsalLate, Value: fmt.Sprintf("%.1f", o.Out.Late), Source: working.OwnRecords},
			{Name: words.RehearsalTags, Value: words.Thousands(x.Counted), Source: working.OwnRecords},
		}}
	if o.Lever != nil {
		d := leverOf(*o.Lever, x.AllMet)
		l.Does = &d
	}
	for _, h := range o.Hangs {
		l.HangsOn = append(l.HangsOn, words.HangSays(h.Kind, h.Key, h.Name))
	}
	return l
}

func (o orders) rehearsal(w http.ResponseWriter, r *http.Request) error {
	frame := page.Frame{Title: "The season, played through", Stage: "Orders"}
	if !page.IsPart(r) && !o.Nursery.Rehearsed() && r.FormValue("wait") == "" {
		return o.Show(w, r, o.views["rehearsal"], frame) // it is fetched once it is played
	}
	x, err := o.Nursery.Rehearsal(r.Context())
	if err != nil {
		return err
	}
	p := rehearsalPage{Rehearsed: x, Held: draw.HeldBack(x.Holds), Sum: r.FormValue("sum")}
	for _, y := range x.Orders {
		p.Lines = append(p.Lines, lineOf(x, y))
	}
	if len(p.Lines) > 0 && p.Lines[0].Out.Met < safeChance {
		p.Worst = &p.Lines[0]
	}
	for _, h := range x.Hangs {
		p.Hangs = append(p.Hangs, hangLine{words.Capital(words.HangSays(h.Kind, h.Key, h.Name)), words.HangBy(h.By),
			words.HangAlone(h.Alone)})
		if p.Chief == "" && len(h.Alone) > 1 {
			p.Chief = words.HangTogether(h.Alone, words.HangSays(h.Kind, h.Key, h.Name))
		}
	}
	cents, status := usualSum, http.StatusOK
	if p.Sum != "" {
		sum, err := exchange.ParseNumber(p.Sum)
		if err != nil || sum < 0 || sum > 1e7 {
			p.Problem, status = words.SumWanted, http.StatusUnprocessableEntity
		} else {
			cents = int(math.Round(sum * 100))
		}
	} else {
		p.Sum = words.Money(cents)
	}
	if p.Problem == "" && len(x.Levers) > 0 {
		set, err := o.Nursery.BestFor(r.Context(), x, cents)
		if err != nil {
			return err
		}
		p.Set = &setLine{Set: set}
		for _, l := range set.Levers {
			p.Set.Levers = append(p.Set.Levers, leverOf(l, 1))
		}
	}
	if page.IsPart(r) {
		return o.Part(w, r, o.views["rehearsal"], "played", p)
	}
	frame.Data = p
	return o.ShowStatus(w, r, o.views["rehearsal"], frame, status)
}

type planLine struct {
	rehearsestage.Rehearsed
	Working working.Working
	Late    []rehearsestage.Going
	Better  *otherLine
}

type otherLine struct {
	rehearsestage.OtherPlan
	Says string
}

// mostLate is how many orders with late grafts are named. House default.
const mostLate = 4

// planPlayed is the figure that the plan of the days comes to, for Bench days.
func (o orders) planPlayed(w http.ResponseWriter, r *http.Request) error {
	x, err := o.Nursery.Rehearsal(r.Context())
	if err != nil {
		return err
	}
	l := planLine{Rehearsed: x}
	l.Working = working.Working{Title: words.RehearsalPlan, Answer: words.MetOf(x.Met(), len(x.Orders)), Rule: words.RehearsalRule,
		Says: words.RehearsalSays,
		Inputs: []working.Input{
			{Name: words.RehearsalSeasons, Value: words.Thousands(x.Seasons), Source: working.HouseDefault},
			{Name: words.RehearsalShort, Value: fmt.Sprintf("%.1f", x.Short), Source: working.OwnRecords},
			{Name: words.RehearsalTags, Value: words.Thousands(x.Counted), Source: working.OwnRecords},
		}}
	for _, y := range x.Orders {
		if y.NotMade() >= 0.5 {
			l.Late = append(l.Late, y)
		}
	}
	slices.SortStableFunc(l.Late, func(a, b rehearsestage.Going) int {
		return cmp.Compare(b.NotMade(), a.NotMade())
	})
	l.Late = l.Late[:min(len(l.Late), mostLate)]
	if better := x.OtherPlans(); len(better) > 0 {
		b := better[0]
		l.Better = &otherLine{b, words.LeverSays(string(b.Kind), b.N, b.Name)}
		if b.Order != "" {
			l.Better.Says = b.Order + ": " + l.Better.Says
		}
	}
	return o.Part(w, r, o.views["rehearsal"], "plan", l)
}

// promises are those of past seasons, for Results.
func (o orders) promises(w http.ResponseWriter, r *http.Request) error {
	ps, err := o.Nursery.Promises(r.Context())
	if err != nil {
		return err
	}
	return o.Part(w, r, o.views["rehearsal"], "kept", rehearsalPage{Promises: ps, Kept: draw.Kept(ps.Steps)})
}

// chance is an order's own, for its page.
func (o orders) chance(w http.ResponseWriter, r *http.Request) error {
	x, err := o.Nursery.Rehearsal(r.Context())
	if err != nil {
		return err
	}
	for _, y := range x.Orders {
		if y.Order.Code == nursery.CleanCode(chi.URLParam(r, "code")) {
			return o.Part(w, r, o.views["rehearsal"], "chance", lineOf(x, y))
		}
	}
	return o.Part(w, r, o.views["rehearsal"], "chance", nil)
}
