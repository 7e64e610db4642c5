package outlook

import (
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/own"
	"unionknot/internal/core/season"
	"unionknot/internal/core/ways"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// HealLine is a finished tag waiting for a look.
type HealLine struct {
	Tag     store.Tag
	Days    int // since it was finished
	DueFrom time.Time
	DueTo   time.Time
	Due     bool
	Overdue bool
	// Callused is how far, by the clock of where it stands; below 0 where it is not by
	// a clock.
	Callused float64
}

// healing is an uncounted tag as its first look asks of it.
func (n *Nursing) healing(t store.Tag) *aftercare.Made {
	m := &aftercare.Made{Technique: own.Base(t.Technique), Healing: own.Base(t.Healing), Group: n.F.Genus(t.Genus).SeasonGroup,
		Film:     n.film,
		Finished: aftercare.DayOf(dayOf(*t.FinishedAt)), Numbers: n.F.Numbers}
	if m.Boxed() {
		m.Box = n.Box(t.HealPlace, t.Healing, m.Group)
	}
	return m
}

// HealPage is what the Heal stage shows.
type HealPage struct {
	Due, Waiting []HealLine
	Places       []HealPlace // all of them by where they stand, those with the earliest look first
}

// HealPlace is a place with the batches that heal in it.
type HealPlace struct {
	Name         string
	Tags, Grafts int
	Due, Overdue int // tags
	From         time.Time
	Batches      []HealBatch
	Amiss        []string // what a look found there and nobody has put right
}

// HealBatch is the tags of a batch that stand in one place.
type HealBatch struct {
	Batch, Order                  string
	Variety, StockType, Technique string
	Grafts, Due, Overdue          int
	From, By                      time.Time // of the first look
	Lines                         []HealLine
}

// ByPlace gathers lines by where they stand and by batch, what is looked at
// earliest first.
func ByPlace(ls []HealLine) (out []HealPlace) {
	for _, l := range ls {
		name := l.Tag.Stands()
		i := slices.IndexFunc(out, func(p HealPlace) bool { return strings.EqualFold(p.Name, name) })
		if i < 0 {
			i, out = len(out), append(out, HealPlace{Name: name, From: l.DueFrom})
		}
		p := &out[i]
		j := slices.IndexFunc(p.Batches, func(b HealBatch) bool { return b.Batch == l.Tag.Batch && b.Technique == l.Tag.TechniqueName })
		if j < 0 {
			j = len(p.Batches)
			p.Batches = append(p.Batches, HealBatch{Batch: l.Tag.Batch, Order: l.Tag.Order, Variety: l.Tag.Variety,
				StockType: l.Tag.StockType, Technique: l.Tag.TechniqueName, From: l.DueFrom, By: l.DueTo})
		}
		b := &p.Batches[j]
		b.Lines = append(b.Lines, l)
		p.Tags, p.Grafts, b.Grafts = p.Tags+1, p.Grafts+l.Tag.Tied, b.Grafts+l.Tag.Tied
		if l.Due {
			p.Due, b.Due = p.Due+1, b.Due+1
		}
		if l.Overdue {
			p.Overdue, b.Overdue = p.Overdue+1, b.Overdue+1
		}
		if l.DueFrom.Before(p.From) {
			p.From = l.DueFrom
		}
		if l.DueFrom.Before(b.From) {
			b.From, b.By = l.DueFrom, l.DueTo
		}
	}
	for i := range out {
		slices.SortStableFunc(out[i].Batches, func(a, b HealBatch) int { return a.From.Compare(b.From) })
	}
	slices.SortStableFunc(out, func(a, b HealPlace) int { return a.From.Compare(b.From) })
	return out
}

// HealOf lists the finished tags that wait to be counted, those due first.
func HealOf(f *snapshot.Snapshot) HealPage {
	var p HealPage
	today, n := f.Today, NursingOf(f)
	for _, t := range f.Uncounted() {
		l := HealLine{Tag: t, Days: season.Days(dayOf(*t.FinishedAt), today), Callused: -1}
		m := n.healing(t)
		w := m.FirstLook()
		l.DueFrom, l.DueTo = w.From.Date(), w.By.Date()
		if m.Box != nil {
			l.Callused = m.Box.Callused(m.Finished, f.At)
		}
		l.Due, l.Overdue = !today.Before(l.DueFrom), today.After(l.DueTo)
		if l.Due {
			p.Due = append(p.Due, l)
		} else {
			p.Waiting = append(p.Waiting, l)
		}
	}
	p.Places = ByPlace(slices.Concat(p.Due, p.Waiting))
	return p
}

func dayOf(t time.Time) time.Time {
	y, m, d := t.Local().Date()
	return time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
}

// FollowUp is what comes after a finished tag, by what was made and done, and the
// house's ways.
func FollowUp(n *Nursing, t store.GrowTag) []words.Follows {
	g := n.Of(t)
	return words.FollowUp(g.Plan, n.F.Answers(), t.TieName, n.weeks[t.Tie] < 0, !g.Made.Boxed() && own.Base(t.Healing) == ways.PotAtOnce,
		dayOf(t.FinishedAt))
}

// LookDue is the look that a tag waits for now, "" for none.
func LookDue(f *snapshot.Snapshot, t store.GrowTag) string {
	with := *f
	with.Growing = []store.GrowTag{t}
	n := NursingOf(&with)
	for _, k := range n.Asked(n.Of(t)) {
		if look := aftercare.LookOf(k.Name); look != "" && k.From <= n.Today {
			return look
		}
	}
	return ""
}
