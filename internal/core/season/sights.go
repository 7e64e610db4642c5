package season

import (
	"math"
	"slices"
	"time"
)

// instance is an anchor of one season, by its usual day.
type instance struct {
	kind  string
	usual time.Time
}

// told is what an observation tells of one anchor.
type told struct {
	Observation
	tells Tell
}

// questionable is how many spreads from an anchor a sight may lie before it is
// doubted. House default.
const questionable = 4

// resolve sorts what was seen, in order of days, by the anchor it tells of, and
// gives the days on which dry bark was found.
func (y Year) resolve(seen []Observation) (out map[instance][]told, dry []time.Time) {
	out = map[instance][]told{}
	slipped := map[time.Time]bool{} // by slip's usual beginning: bark was seen to slip
	add := func(kind string, usual time.Time, o Observation, t Tell) {
		at := instance{kind, usual}
		out[at] = append(out[at], told{o, t})
	}
	for _, o := range seen {
		if o.Says == Slips || o.Says == DoesNotSlip {
			u, ok := y.slipSeason(o.On)
			if !ok {
				continue
			}
			switch y.barkTells(o, u, slipped[u[SlipBegins]]) {
			case slipsNow:
				slipped[u[SlipBegins]] = true
				add(SlipBegins, u[SlipBegins], o, Come)
				add(SlipEnds, u[SlipEnds], o, NotYet)
				dry = nil
			case notYetSlipping:
				add(SlipBegins, u[SlipBegins], o, NotYet)
			case slipOver:
				add(SlipEnds, u[SlipEnds], o, Come)
			case dryBark:
				dry = append(dry, o.On)
			}
			continue
		}
		i := slices.IndexFunc(Sights, func(s Sight) bool { return s.Says == o.Says })
		if i < 0 {
			continue
		}
		s := Sights[i]
		if k, usual := y.nearest(s.Kinds, o.On); k >= 0 && s.Tells[k] != Nothing {
			add(s.Kinds[k], usual, o, s.Tells[k])
		}
	}
	return out, dry
}

// bark is what a test of the bark says.
type bark int

const (
	slipsNow bark = iota
	notYetSlipping
	slipOver
	dryBark
)

// barkTells reads a test of the bark. Once bark was seen to slip in a season,
// "does not" speaks of slip's end; but in dry soil, or weeks before slip could
// end with nobody saying that the soil was wet, it speaks of drought alone.
func (y Year) barkTells(o Observation, u map[string]time.Time, slipped bool) bark {
	if o.Says == Slips {
		return slipsNow
	}
	if o.Soil == SoilDry {
		return dryBark
	}
	from := func(kind string) float64 { return float64(daysBetween(u[kind], o.On)) / y.spread(kind) }
	begins, ends := from(SlipBegins), from(SlipEnds)
	if !slipped && math.Abs(begins) <= math.Abs(ends) {
		if begins > questionable && o.Soil != SoilWet {
			return dryBark
		}
		return notYetSlipping
	}
	if ends < -questionable && o.Soil != SoilWet {
		return dryBark
	}
	return slipOver
}

// slipSeason finds the season whose slip holds a day, or lies nearest to it.
func (y Year) slipSeason(on time.Time) (map[string]time.Time, bool) {
	var best map[string]time.Time
	least := math.MaxInt
	for yr := on.Year() - 1; yr <= on.Year()+1; yr++ {
		u := y.seasonOf(yr)
		from, to := u[SlipBegins], u[SlipEnds]
		if from.IsZero() || to.IsZero() {
			continue
		}
		if n := max(0, daysBetween(on, from), daysBetween(to, on)); n < least {
			best, least = u, n
		}
	}
	return best, best != nil
}

func (y Year) spread(kind string) float64 {
	a, _ := y.anchor(kind)
	return math.Max(1, float64(a.SpreadDays))
}

// Doubt is why a sight is doubted before it is kept: it lies further than four spreads from
// where its anchor falls in a usual year.
type Doubt struct {
	Observation
	Kind       string    // the anchor
	Usual      time.Time // when it comes in a usual year
	Days       int       // from then to the sight; earlier is negative
	SpreadDays float64   // of years
}

// Doubt reads a sight against what was noted before; nil: there is no doubt.
func (y Year) Doubt(o Observation, seen []Observation) *Doubt {
	o.On = DayOf(o.On)
	far := func(kind string, usual time.Time, early, late bool) *Doubt {
		n, s := daysBetween(usual, o.On), y.spread(kind)
		if early && float64(n) < -questionable*s || late && float64(n) > questionable*s {
			return &Doubt{o, kind, usual, n, s}
		}
		return nil
	}
	if o.Says == Slips || o.Says == DoesNotSlip {
		u, ok := y.slipSeason(o.On)
		if !ok {
			return nil
		}
		slipped := false
		for _, x := range seen {
			if v, ok := y.slipSeason(DayOf(x.On)); ok && x.Says == Slips && v[SlipBegins].Equal(u[SlipBegins]) && !DayOf(x.On).After(o.On) {
				slipped = true
			}
		}
		if o.Says == Slips {
			if d := far(SlipBegins, u[SlipBegins], true, false); d != nil {
				return d
			}
			return far(SlipEnds, u[SlipEnds], false, true)
		}
		if !slipped &&
			math.Abs(
				float64(daysBetween(u[SlipBegins], o.On)),
			)/y.spread(
				SlipBegins,
			) <= math.Abs(
				float64(daysBetween(u[SlipEnds], o.On)),
			)/y.spread(
				SlipEnds,
			) {
			return far(SlipBegins, u[SlipBegins], false, true)
		}
		return far(SlipEnds, u[SlipEnds], true, true)
	}
	i := slices.IndexFunc(Sights, func(s Sight) bool { return s.Says == o.Says })
	if i < 0 {
		return nil
	}
	if k, usual := y.nearest(Sights[i].Kinds, o.On); k >= 0 && Sights[i].Tells[k] != Nothing {
		return far(Sights[i].Kinds[k], usual, Sights[i].Tells[k] == Come, true)
	}
	return nil
}

// winterDays is how long after one hard frost the next still belongs to the
// same winter.
const winterDays = 150

// feedPlace is where the weather feed saw something.
const feedPlace = "the weather feed"

// frosts reads the nights of a feed: frosts, the first hard one of a winter,
// and the last night before it. A feed that begins in winter may have missed the
// first: that there was none yet is told only where it watched from the start.
func (y Year) frosts(days []DegreeDay) map[instance][]told {
	out := map[instance][]told{}
	add := func(says, kind string, on time.Time, t Tell) {
		if k, usual := y.nearest([]string{kind}, on); k >= 0 {
			at := instance{kind, usual}
			out[at] = append(out[at], told{Observation{Says: says, On: on, Place: feedPlace}, t})
		}
	}
	sorted := slices.Clone(days)
	slices.SortFunc(sorted, func(a, b DegreeDay) int { return a.On.Compare(b.On) })
	var hard, mild, begun, last time.Time // the last hard frost, the last night without one since, and the stretch without gaps
	for _, d := range sorted {
		on := DayOf(d.On)
		if begun.IsZero() || daysBetween(last, on) > 7 {
			begun, mild = on, time.Time{}
		}
		last = on
		if d.LowC < 0 {
			if k, _ := y.nearest([]string{LastFrost, FirstHardFrost}, on); k == 0 {
				add(frost, LastFrost, on, NotYet)
			}
		}
		newWinter := hard.IsZero() || daysBetween(hard, on) > winterDays
		switch {
		case d.LowC > HardFrostC && newWinter:
			mild = on
		case d.LowC <= HardFrostC:
			if newWinter {
				if !mild.IsZero() && y.watched(begun, on) {
					add(noHardFrost, FirstHardFrost, mild, NotYet)
				}
				add(hardFrost, FirstHardFrost, on, Come) // the first was then, or before
			}
			hard, mild = on, time.Time{}
		}
	}
	if !mild.IsZero() && y.watched(begun, mild) {
		add(noHardFrost, FirstHardFrost, mild, NotYet)
	}
	return out
}

// watched says whether a feed that begins on a day and has no gap since has seen
// every night on which the winter's first hard frost, before a day, could be.
func (y Year) watched(begun, on time.Time) bool {
	_, usual := y.nearest([]string{FirstHardFrost}, on)
	early := usual.AddDate(0, 0, -int(2*y.spread(FirstHardFrost)))
	return !usual.IsZero() && !begun.After(early)
}
