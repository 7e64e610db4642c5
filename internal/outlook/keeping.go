package outlook

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/supply"
	"unionknot/internal/core/wood"
	"unionknot/internal/core/working"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// Kept is a bundle with how it keeps.
type Kept struct {
	Bundle  store.Bundle
	Keeping wood.Keeping
	Bad     string   // what the last look found, when not sound
	Young   wood.Age // were it cut on the last day it can have been; zero where its day is known
	Working working.Working
}

// Soon says that the wood is near the end of its life: a fortnight, or a day
// for green wood. House default.
func (k Kept) Soon(now time.Time) bool {
	near := 14 * 24 * time.Hour
	if k.Bundle.State != "resting" {
		near = 24 * time.Hour
	}
	return k.Keeping.KeepBy.Sub(now) < near
}

// Past says that the wood is past its day, so that it is not woven.
func (k Kept) Past(today time.Time) bool {
	return len(supply.BundleGates("", season.DayOf(k.Keeping.KeepBy), today)) > 0
}

func kept(clock wood.Clock, age wood.Age, b store.Bundle, place string, now time.Time, looks []store.Look) Kept {
	k := Kept{Bundle: b, Keeping: clock.KeepAged(age, now, b.State)}
	for _, l := range looks { // newest first
		if l.BundleID != nil && *l.BundleID == b.ID {
			if l.Found != "sound" {
				k.Bad = l.Found
			}
			break
		}
	}
	where := words.KeptAtTheSetPoint
	if place == "" {
		where = words.NoStoreWithReadingsReckoned
	} else if k.Keeping.Age.Unknown == 0 {
		where = words.ReadAllTheTime
	} else {
		where = fmt.Sprintf(words.NOfNDaysUnread, k.Keeping.Age.Unknown.Hours()/24,
			now.Sub(b.CutOn).Hours()/24)
	}
	k.Working = working.Working{
		Title:  "How bundle " + b.Code + " keeps",
		Rule:   "store clock",
		Answer: "keep by " + k.Keeping.KeepBy.Format(words.LongDay),
		Range: fmt.Sprintf(
			words.WereTheThermometerOut,
			k.Keeping.Earliest.Format("2 January"),
			k.Keeping.KeepLate.Format("2 January"),
		),
		Says: words.WoodAges25Times,
		Inputs: []working.Input{
			{Name: "Cut", Value: b.CutOn.Format(words.LongDay), Source: working.Entered, Ref: b.Code},
			{
				Name:   "Age",
				Value:  fmt.Sprintf(words.DaysAtOneIn, k.Keeping.Age.Days, now.Sub(b.CutOn).Hours()/24),
				Source: working.Measured,
			},
			{Name: "Readings", Value: where, Source: working.Measured},
			{Name: "Life of " + b.State + " wood", Value: fmt.Sprintf(words.DaysAtOne, k.Keeping.Life), Source: working.HouseDefault},
			{Name: "Temperature now", Value: fmt.Sprintf("%.1f °C", k.Keeping.NowC), Source: working.Measured}},
	}
	return k
}

// Keeper works out how bundles keep, by the clocks of the places where they lay.
type Keeper struct {
	now    time.Time
	places map[string]snapshot.Place // by name, in small letters
}

// KeeperOf readies a keeper on the places of a snapshot.
func KeeperOf(f *snapshot.Snapshot) *Keeper {
	k := &Keeper{f.At, map[string]snapshot.Place{}}
	for _, p := range f.Places {
		k.places[strings.ToLower(p.Name)] = p
	}
	return k
}

// clock is that of a place; one without readings stands at 1 °C.
func (k *Keeper) clock(name string) (wood.Clock, string) {
	if p, ok := k.places[strings.ToLower(name)]; ok {
		return p.Clock, p.Name
	}
	return wood.NewClock(nil, 1), ""
}

// Keep works out how a bundle keeps: it aged in each place by that place's
// readings, and goes on where it lies now.
func (k *Keeper) Keep(b store.BundlePile, looks []store.Look) Kept {
	age := k.aged(b, time.Time{})
	c, name := k.clock(b.Place)
	out := kept(c, age, b.Bundle, name, k.now, looks)
	if b.CutLate != nil {
		out.late(c, k.aged(b, *b.CutLate), k.now)
	}
	return out
}

// aged is how far a bundle aged from a day on.
func (k *Keeper) aged(b store.BundlePile, from time.Time) (age wood.Age) {
	for i, st := range b.Stays {
		c, _ := k.clock(st.Place)
		since, to := st.Since, k.now
		if i+1 < len(b.Stays) {
			to = b.Stays[i+1].Since
		}
		if since.Before(from) {
			since = from
		}
		if since.Before(to) {
			a := c.Age(since, to)
			age.Days, age.Unknown = age.Days+a.Days, age.Unknown+a.Unknown
		}
	}
	return age
}

// late widens what is said of a bundle whose day is not known: it keeps by its
// earliest, and may keep as long as its latest.
func (k *Kept) late(c wood.Clock, young wood.Age, now time.Time) {
	k.Young = young
	late := c.KeepAged(young, now, k.Bundle.State)
	k.Keeping.KeepLate = late.KeepLate
	k.Working.Range = words.KeepRange(k.Keeping.Earliest, k.Keeping.KeepLate)
	k.Working.Inputs = append(k.Working.Inputs, working.Input{Name: words.CutBetween, Value: words.CutRange(k.Bundle.CutOn,
		*k.Bundle.CutLate,
		young.Days, k.Keeping.Age.Days), Source: working.Entered, Ref: k.Bundle.Code})
}

// FirstToUse puts bundles in the order in which they must be used, with the day
// until which each keeps, and names those that are past it.
func (k *Keeper) FirstToUse(bs []store.BundlePile) (out []store.BundlePile, keepBy map[int64]time.Time, late []string) {
	keepBy = make(map[int64]time.Time, len(bs))
	for _, b := range bs {
		by := k.Keep(b, nil).Keeping.KeepBy
		// To the day: what moves by minutes must not change the weave.
		keepBy[b.ID] = season.DayOf(by)
		if by.Before(k.now) {
			late = append(late, fmt.Sprintf("%s (%s)", b.Code, by.Format("2 January")))
		}
	}
	out = slices.Clone(bs)
	slices.SortStableFunc(out, func(a, b store.BundlePile) int { return keepBy[a.ID].Compare(keepBy[b.ID]) })
	return out, keepBy, late
}
