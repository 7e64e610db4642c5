// Package outlook is what follows from the house's facts at one moment: what
// each order needs and how it stands, what it has of wood, stock, hands and
// season, how wood keeps, what the bench has to make and who is there, and what
// is due. It reads a snapshot and writes nothing; only the weighing of counts
// reads the database, and is kept by a Reckoner.
package outlook

import (
	"fmt"
	"strings"
	"time"

	"unionknot/internal/core/sizing"
	"unionknot/internal/core/take"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Belief is what is expected of a technique on a genus, and from what.
type Belief struct {
	Technique technique.Technique
	Expected  take.Expected // of a graft or a bud
	Take      sizing.Beta   // of a stock's: of the mean, over many lots and bundles
	Prior     sizing.Beta
	Taken, Of int // own counts
	tags      int // weighed, of all techniques of the genus
	// Where the prior's take, its shift for the genus and its weight are from.
	priorOf, shiftOf, weightOf string
}

func (b Belief) mean() float64 {
	if b.Technique.Key == "" {
		return 0
	}
	return b.Take.Mean()
}

// Working shows how the expected take was come by.
func (b Belief) Working(genus store.Genus) working.Working {
	i := b.Take.Interval90()
	s := b.Expected.Spreads
	one := b.Expected.On(take.OneOfEach).OneOf(b.Technique.Pieces()).Interval90()
	source := working.OwnRecords
	if b.Of == 0 {
		source = working.HouseDefault
	}
	w := working.Working{
		Title: "Expected take, " + b.Technique.Name + " on " + genus.Name, Answer: words.Pct(i.Mean), Range: words.PctRange(i),
		Rule: words.TakeFromPriorAndOwn,
		Says: words.TheHouseDefaultCountsAs,
		Inputs: []working.Input{
			{Name: "House default", Value: words.Pct(b.Technique.PriorTake) + words.EasyPomeFruit, Source: b.priorOf},
			{
				Name:   "Shift for " + genus.Name,
				Value:  fmt.Sprintf(words.OnTheLogitScale, genus.LogitShift, words.Pct(b.Prior.Mean())),
				Source: b.shiftOf,
			},
			{Name: words.WeightOfTheDefault, Value: fmt.Sprintf("%g grafts", b.Technique.PriorWeight), Source: b.weightOf},
			{
				Name:   "Counted here",
				Value:  fmt.Sprintf(words.TookOfCounted, b.Taken, b.Of, b.tags),
				Source: working.OwnRecords,
			},
			{
				Name:   words.WorkersLotsBundlesDifferBy,
				Value:  fmt.Sprintf(words.ThreeSpreads, s.Worker, s.Lot, s.Bundle),
				Source: source,
			},
			{Name: words.SoOneWorkerWithOne, Value: words.PctRange(one), Source: source},
		}}
	if n := b.Technique.Pieces(); n > 1 {
		w.Inputs = append(w.Inputs, working.Input{Name: words.BudsAStock, Value: words.OneOfBuds(n, b.Expected.Mean),
			Source: working.HouseWay})
	}
	return w
}

// believe gives the expected take of every technique on a genus.
func believe(f *snapshot.Snapshot, ts []technique.Technique, l take.Learned, g store.Genus) map[string]Belief {
	out := map[string]Belief{}
	for _, t := range ts {
		b := Belief{Technique: t, Prior: t.Prior(g.LogitShift), tags: l.Tags,
			priorOf:  f.SourceOf("technique", t.Key, "prior_take", t.PriorTake*100),
			shiftOf:  f.SourceOf("genus", g.Key, "logit_shift", g.LogitShift),
			weightOf: f.SourceOf("technique", t.Key, "prior_weight", t.PriorWeight)}
		b.Expected = l.Expect(t.Key, b.Prior)
		b.Take = b.Expected.Long().OneOf(t.Pieces())
		b.Taken, b.Of = l.Counted(t.Key)
		out[t.Key] = b
	}
	return out
}

// RecordsOf reads counted tags into the core's form.
func RecordsOf(rs []store.TakeRecord) []take.Record {
	out := make([]take.Record, len(rs))
	for i, r := range rs {
		out[i] = take.Record{
			Worker:    r.Worker,
			Technique: r.Technique,
			Lot:       r.Lot,
			Bundle:    r.Bundle,
			Mismatch:  r.Mismatch,
			StoreDays: r.StoreDays,
			Tier:      r.Tier,
			Part:      r.Part,
			Grafts:    r.Grafts,
			Took:      r.Took,
		}
	}
	return out
}

// Names of what is measured of tags beside the factors.
const (
	Warmth = "warmth" // °C, the mean of the place in which it healed
	Lifted = "lifted" // days ÷ 10 from lifting to grafting
)

// House defaults of how warm a graft healed: the days after it of which the mean is taken, and
// on how many of them the place must have been read.
const (
	callusDays  = 21
	fewestWarm  = 7
	daysALifted = 10.0 // one step of Lifted
)

// Warm are places' daily means, by their names in small letters and the day.
type Warm map[string]map[time.Time]float64

// WarmOf sorts daily means by place and day.
func WarmOf(ds []store.PlaceDay) Warm {
	out := Warm{}
	for _, d := range ds {
		if out[d.Place] == nil {
			out[d.Place] = map[time.Time]float64{}
		}
		out[d.Place][d.Day] = d.C
	}
	return out
}

// after is the mean of a place over the days after one; false where too few are known.
func (w Warm) after(place string, day time.Time) (mean float64, ok bool) {
	n := 0.0
	for i := 1; i <= callusDays; i++ {
		if c, known := w[strings.ToLower(place)][day.AddDate(0, 0, i)]; known {
			mean, n = mean+c, n+1
		}
	}
	return mean / max(n, 1), n >= fewestWarm
}

// MarkedRecords are records with what else is known of each tag.
func MarkedRecords(rs []store.TakeRecord, w Warm) []take.Record {
	out := RecordsOf(rs)
	for i, r := range rs {
		out[i].Marks = map[string]string{"tie": r.TieName, "healing": r.HealingName, "wood": r.Wood, "form": r.Form}
		out[i].Amounts = map[string]float64{}
		if c, ok := w.after(r.HealPlace, r.Day); ok {
			out[i].Amounts[Warmth] = c
		}
		if r.Lifted >= 0 {
			out[i].Amounts[Lifted] = r.Lifted / daysALifted
		}
	}
	return out
}
