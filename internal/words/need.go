package words

import (
	"fmt"
	"strings"

	"unionknot/internal/core/sizing"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
)

// Reckoned is why an order is reckoned by a technique.
type Reckoned string

// Why an order is reckoned by a technique.
const (
	ByOpen    Reckoned = "open"   // the best expected take whose window is open
	ByBest    Reckoned = "best"   // the best of all: no window is open
	BySummers Reckoned = "summer" // the best bud of summer, as the genus is grown
)

// Need is what a working of an order's grafts is made of.
type Need struct {
	Order               string
	Trees               int
	Chance              float64
	Planned             int // grafts put into batches
	Balance             supply.Balance
	Technique, Genus    string
	Why                 Reckoned
	Expected            working.Working // of the technique
	Points              int             // hundredths added to every take, to try it out
	On                  sizing.Interval // the take on this order
	Lot, Bundle, Worker float64         // sums of squared shares: 1 for all on one
	Later, Grade        sizing.Beta     // of live grafts, and of trees that are lifted
	LaterFrom           string
	Tree                string // of whose limb it is
	LimbTrees           int    // trees alike that bear it
	GradeFrom           string
	Passed              *Passed
}

// Passed is a better technique that the season shuts, and what the order would
// want by it.
type Passed struct {
	Technique    string
	Take         float64
	ToGo, Grafts int
	Standing     technique.Standing
}

// few says how many alike a sum of squared shares comes to: 1 for all on one.
func few(share float64, of string) string {
	n := 1 / share
	if n < 1.05 {
		return "one " + of
	}
	return fmt.Sprintf("%.1f %ss", n, of)
}

func (n Need) reckonedBy() string {
	switch n.Why {
	case BySummers:
		return n.Technique + ", the best bud of summer, as " + n.Genus + "s are grown"
	case ByBest:
		return n.Technique + ", the best expected take; no window is open"
	}
	return n.Technique + ", the best expected take whose window is open"
}

// Working shows how an order's grafts to go were come by.
func (n Need) Working() working.Working {
	b := n.Balance
	out := working.Working{Title: "Grafts to make for order " + n.Order, Answer: fmt.Sprintf("%d to go", b.ToGo), Rule: "how many to graft",
		Range: fmt.Sprintf("%d if the take runs at the top of its range, %d at the foot", b.Low, b.High),
		Says: "The least number of grafts more with which at least the trees wanted are lifted and make the grade, with the chance " +
			"chosen. What is counted alive lives; what is doubtful, healing or at the bench lives by its own take; neither a take nor " +
			"the share that makes the grade is known for sure, and what moves one graft's moves all of its kind.",
		Inputs: []working.Input{
			{Name: "Trees wanted", Value: fmt.Sprint(n.Trees), Source: working.Entered, Ref: n.Order},
			{Name: "Chance", Value: Pct(n.Chance), Source: working.HouseWay},
		}}
	add := func(name, value, source string) {
		out.Inputs = append(out.Inputs, working.Input{Name: name, Value: value, Source: source})
	}
	if b.Made() > 0 {
		add("Counted", fmt.Sprintf("%d alive, %d doubtful, %d lost", b.Alive-b.Delivered, b.Doubtful, b.Dead), working.Measured)
		if b.Delivered > 0 {
			add("Delivered", fmt.Sprintf("%d, %d still owed", b.Delivered, b.Owed), working.Measured)
		}
		if b.Below+b.Elsewhere > 0 {
			add("Not the order's", fmt.Sprintf("%d below grade, %d sold elsewhere", b.Below, b.Elsewhere), working.Measured)
		}
		add("Not counted", fmt.Sprintf("%d healing, %d on open tags, %d on no tag", b.Healing, b.Bench, b.Rest), working.Measured)
		add("What is made", Expect(b), working.OwnRecords)
	}
	if b.Doubtful > 0 {
		add("A doubtful one lives", Pct(supply.Doubtful.Mean()), working.HouseDefault)
	}
	if b.Fell > 0 {
		add("More than was planned", fmt.Sprintf("%d: were nothing made, %d would be wanted, and %d were put into batches", b.Fell, b.Fresh,
			n.Planned), working.OwnRecords)
	}
	add("Reckoned by", n.reckonedBy(), working.HouseDefault)
	if p := n.Passed; p != nil {
		add("What the season moved", fmt.Sprintf("%s (%s) would ask for %d to go, %d in all; it is shut: %s", p.Technique, Pct(p.Take),
			p.ToGo,
			p.Grafts, Standing(p.Standing)), working.OwnRecords)
	}
	tried := ""
	if n.Points != 0 {
		tried = fmt.Sprintf("; reckoned here with %+d in a hundred", n.Points)
	}
	add("Expected take", n.Expected.Answer+" ("+n.Expected.Range+")"+tried, working.OwnRecords)
	add("On this order", fmt.Sprintf("%s: it lies on as much as %s, %s and %s alike, and these differ", PctRange(n.On), few(n.Lot, "lot"),
		few(n.Bundle, "bundle"), few(n.Worker, "worker")), working.OwnRecords)
	if n.LimbTrees > 1 {
		add("Trees begun, each of which bears it", fmt.Sprintf("%d of %s", n.LimbTrees, n.Tree), working.Entered)
	}
	for _, x := range []struct {
		name, from string
		b          sizing.Beta
	}{{"Alive, and living on until they are lifted", n.LaterFrom, n.Later}, {"Lifted and making the grade", n.GradeFrom, n.Grade}} {
		if n.Tree != "" {
			continue // a limb is neither lifted nor graded
		}
		add(x.name, fmt.Sprintf("%s (%s), worth %.0f trees", Pct(x.b.Mean()), PctRange(x.b.Interval90()), x.b.Alpha+x.b.Beta), x.from)
	}
	out.Inputs = append(out.Inputs, n.Expected.Inputs...)
	return out
}

// Unsized says why no number of grafts is known for an order.
func Unsized(u supply.Unknown) string {
	switch u {
	case supply.NoTechnique:
		return "no technique is in use in this house"
	case supply.NoNumber:
		return "no number of grafts gives that chance"
	}
	return string(u)
}

// OrderFell says that an order asks for more than was planned, and what to do.
func OrderFell(b supply.Balance) (says, do string) {
	return fmt.Sprintf("counts, dead tags or short finishes ask for %s grafts more than were planned; the chance of its trees is %s now",
		Thousands(b.Fell), Pct(b.Chance)), "Match what is to go, or see its ways out."
}

// PileOut says what keeps a lot or a bundle out of the weave, and that it was let
// in where it was.
func PileOut(n int, kind, gates string, who, why string) string {
	says := fmt.Sprintf("%d %s: %s", n, kind, gates)
	if who != "" {
		says += "; let in by " + who + ": " + why
	}
	return says
}

// FitNothing says how many of what is free fit nothing.
func FitNothing(n int, kind string) string {
	return fmt.Sprintf("%d %s: no technique that is open joins their sizes", n, kind)
}

// PileMeans says what an order's bar of stock or wood counts.
const PileMeans = "What is free of the type, was seen fit, and fits something there is by a technique that is open, less " +
	"what orders of a higher priority or an earlier day still need."

// NotMeasured says how many stems wait to be measured, after what is there.
func NotMeasured(n int) string { return fmt.Sprintf("; %d not measured", n) }

// Have says what there is for what an order needs: pieces or stems.
func Have(have, want float64) string { return fmt.Sprintf("%.0f for %.0f", have, want) }

// HaveHours is the same of workers' hours; what is below ten is said in tenths,
// as a small order needs less than an hour.
func HaveHours(have, want float64) string { return hours(have) + " for " + hours(want) + " h" }

func hours(h float64) string {
	if h < 9.95 {
		return fmt.Sprintf("%.1f", h)
	}
	return fmt.Sprintf("%.0f", h)
}

// KeptOut says how many what was seen of them keeps out, after what is there.
func KeptOut(n int) string { return fmt.Sprintf("; %d kept out", n) }

// ComeFirst says which orders draw on a pile before another, after what is there.
func ComeFirst(orders string) string {
	if strings.Contains(orders, ",") {
		return "; " + orders + " come first"
	}
	return "; " + orders + " comes first"
}
