package outlook

import (
	"math"
	"slices"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/pace"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// CutShare is the part of a graft's time that goes to cutting. House default.
const CutShare = 0.6

// fewTold is how much tags must tell of a tier before their own pace at tying is reckoned with.
const fewTold = 0.5

// PairPart is what somebody does for the pace of the pairs that they are in.
type PairPart struct {
	Person store.Person
	pace.Part
}

// PairPartsOf parts the pace of pairs between those who cut and those who tie.
func PairPartsOf(f *snapshot.Snapshot, ps []store.PairPace) (cut, tie []PairPart) {
	rate := map[string]float64{}
	for _, t := range f.AllWays {
		rate[t.Key] = float64(t.RatePerHour)
	}
	var cutters, tiers []int64
	place := func(ids *[]int64, id int64) int {
		i := slices.Index(*ids, id)
		if i < 0 {
			i, *ids = len(*ids), append(*ids, id)
		}
		return i
	}
	var ts []pace.Together
	for _, p := range ps {
		if rate[p.Technique] > 0 && p.PerHour > 0 {
			ts = append(ts, pace.Together{Cutter: place(&cutters, p.WorkerID), Tier: place(&tiers, p.TierID),
				LogPace: math.Log(p.PerHour / rate[p.Technique])})
		}
	}
	a, b, _ := pace.Pairs(ts, len(cutters), len(tiers))
	name := func(id int64) store.Person {
		p, _ := f.Person(id)
		return p
	}
	for i, x := range a {
		cut = append(cut, PairPart{name(cutters[i]), x})
	}
	for i, x := range b {
		tie = append(tie, PairPart{name(tiers[i]), x})
	}
	return cut, tie
}

// tying is how fast the hands tie, as a multiple of the house's: as they graft, and by their own
// part in pairs where tags tell it.
func (d *Diary) tying(tie []PairPart) []float64 {
	out := make([]float64, len(d.Hands))
	for h, x := range d.Hands {
		out[h] = x.Speed.Mean
		for _, t := range tie {
			if t.Person.ID == x.Person.ID && t.Told >= fewTold {
				out[h] *= t.Mean
			}
		}
	}
	return out
}

// GroupUp forms pairs, and groups of two cutters with one who ties behind them, for each day of the
// plan on which they do more than their people by themselves, and takes them into its hours. Met is
// how often a cutter and a tier worked together lately. From today on, from tomorrow
// where its morning is over; who has begun or held tags that day is left with them.
func (d *Diary) GroupUp(tie []PairPart, met map[[2]int64]int) {
	wanted, all := map[string]float64{}, 0.0
	held := map[[2]int]bool{} // by hand and day: tags that stay with them
	for _, j := range d.Work.Jobs {
		hours := float64(j.Grafts) * (1/d.Work.Rate[j.Technique] + j.Prepare)
		if j.Fixed {
			held[[2]int{j.Hand, j.Slot / 2}] = true
			continue
		}
		wanted[j.Technique] += hours
		all += hours
	}
	ties := d.tying(tie)
	met2 := map[[2]int64]int{}
	for k, n := range met {
		met2[k] = n
	}
	week := make([]float64, len(d.Hands)) // usable hours in a week, on the mean
	for h := range d.Hands {
		for s := range d.Work.Slots {
			week[h] += d.Work.Hands[h].Hours[s] * 7 / DaysPlanned
		}
	}
	for day := (d.Now + 1) / 2; day < d.Work.Slots/2 && all > 0; day++ {
		var ps []benchday.Person
		var who []int
		for h, x := range d.Hands {
			hours := d.Work.Hands[h].Hours[2*day] + d.Work.Hands[h].Hours[2*day+1]
			if hours <= 0 || held[[2]int{h, day}] {
				continue
			}
			known := 0.0
			for t, n := range wanted {
				if x.Knows[t] {
					known += n
				}
			}
			p := benchday.Person{Cuts: x.Speed.Mean, Ties: ties[h], Hours: hours, Knows: known > 0}
			p.Alone = x.Speed.Mean * math.Min(1, known/math.Max(1e-9, week[h]))
			ps, who = append(ps, p), append(who, h)
		}
		gs := benchday.GroupUp(ps, CutShare, func(c, t int) int {
			return met2[[2]int64{d.Hands[who[c]].Person.ID, d.Hands[who[t]].Person.ID}]
		})
		for _, g := range gs {
			var cutters []int
			for _, c := range g.Cutters {
				cutters = append(cutters, who[c])
				met2[[2]int64{d.Hands[who[c]].Person.ID, d.Hands[who[g.Tier]].Person.ID}]++
			}
			for s := 2 * day; s < 2*day+2; s++ {
				d.group(cutters, who[g.Tier], s, ties[who[g.Tier]])
			}
		}
		for h := range d.Hands {
			for s := 2 * day; s < 2*day+2; s++ {
				all -= d.Work.Hands[h].Hours[s] * d.Work.Hands[h].Speed
			}
		}
	}
}

// group lets one tie behind some who cut in a half-day in which all of them are there: the cutters
// do the group's work, and who ties has no hours of their own.
func (d *Diary) group(cutters []int, tier, slot int, ties float64) {
	hours, cuts := d.Work.Hands[tier].Hours[slot], 0.0
	for _, c := range cutters {
		hours = math.Min(hours, d.Work.Hands[c].Hours[slot])
		cuts += d.Hands[c].Speed.Mean
	}
	if hours <= 0 {
		return
	}
	per := benchday.GroupPace(cuts, ties, CutShare)
	for _, c := range cutters {
		h := &d.Work.Hands[c]
		h.Hours[slot] = (per/float64(len(cutters))*hours)/h.Speed + h.Hours[slot] - hours
		d.ties[[2]int{c, slot}] = d.Hands[tier].Person.ID
	}
	d.Work.Hands[tier].Hours[slot] -= hours
}

// TierOn is who ties for a hand in a half-day; nil where they tie their own.
func (d *Diary) TierOn(hand, slot int) *int64 {
	if id, ok := d.ties[[2]int{hand, slot}]; ok {
		return &id
	}
	return nil
}

// grouped takes the pairs that open tags name into the hours, so that a plan that was made is read
// as it was reckoned.
func (d *Diary) grouped() {
	type at struct{ tier, slot int }
	groups := map[at][]int{}
	var order []at
	for _, t := range d.Tags {
		if t.TierID == nil || t.FinishedAt != nil {
			continue
		}
		c, tier := d.HandOf(t.WorkerID), d.HandOf(*t.TierID)
		slot := max(d.Now, d.Slot(t.Day, t.Half))
		if c < 0 || tier < 0 || slot >= d.Work.Slots {
			continue
		}
		k := at{tier, slot}
		if groups[k] == nil {
			order = append(order, k)
		}
		if !slices.Contains(groups[k], c) {
			groups[k] = append(groups[k], c)
		}
	}
	for _, k := range order {
		d.group(groups[k], k.tier, k.slot, d.Hands[k.tier].Speed.Mean)
	}
}

// TierAway names who ties on a hand's tags in a half-day and is not there.
func (d *Diary) TierAway(hand, slot int) (out []string) {
	day, half := d.Day(slot)
	for _, t := range d.Tags {
		if t.TierID == nil || d.HandOf(t.WorkerID) != hand || max(d.Now, d.Slot(t.Day, t.Half)) != slot {
			continue
		}
		h := d.HandOf(*t.TierID)
		if (h < 0 || d.Hands[h].HoursOn(day, half) == 0) && !slices.Contains(out, t.Tier) {
			out = append(out, t.Tier)
		}
	}
	return out
}

// ClassLine is a class that is under way.
type ClassLine struct {
	Code           string
	Tags           int
	Bound, Planned int
}

// ApartFromClasses parts open tags into those of hands and those of learners, a line for each class.
func ApartFromClasses(f *snapshot.Snapshot, ts []store.Tag) (hands []store.Tag, classes []ClassLine) {
	at := map[int64]int{}
	of := f.Classes()
	for _, t := range ts {
		if !of[t.WorkerID] {
			hands = append(hands, t)
			continue
		}
		i, ok := at[t.WorkerID]
		if !ok {
			p, _ := f.Person(t.WorkerID)
			i = len(classes)
			at[t.WorkerID], classes = i, append(classes, ClassLine{Code: words.ClassCode(p.Name)})
		}
		c := &classes[i]
		c.Tags, c.Bound, c.Planned = c.Tags+1, c.Bound+t.Tied, c.Planned+t.Planned
	}
	return hands, classes
}
