package outlook

import (
	"time"

	"unionknot/internal/core/aftercare"
	"unionknot/internal/core/season"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
)

// firstLook is when a tag is first looked at, by what was made and where it
// heals; group is its genus' season group.
func firstLook(t store.Tag, group string) aftercare.Window {
	return aftercare.Made{Technique: t.Technique, Healing: t.Healing, Group: group, Finished: dayOf(*t.FinishedAt)}.FirstLook()
}

// HealLine is a finished tag waiting for a look.
type HealLine struct {
	Tag     store.Tag
	Days    int // since it was finished
	DueFrom time.Time
	DueTo   time.Time
	Due     bool
	Overdue bool
}

// HealPage is what the Heal stage shows.
type HealPage struct {
	Due, Waiting []HealLine
}

// HealOf lists the finished tags that wait to be counted, those due first.
func HealOf(f *snapshot.Snapshot) HealPage {
	var p HealPage
	today := f.Today
	for _, t := range f.Uncounted() {
		l := HealLine{Tag: t, Days: season.Days(dayOf(*t.FinishedAt), today)}
		w := firstLook(t, f.Genus(t.Genus).SeasonGroup)
		l.DueFrom, l.DueTo = w.From, w.By
		l.Due, l.Overdue = !today.Before(l.DueFrom), today.After(l.DueTo)
		if l.Due {
			p.Due = append(p.Due, l)
		} else {
			p.Waiting = append(p.Waiting, l)
		}
	}
	return p
}

func dayOf(t time.Time) time.Time {
	y, m, d := t.Local().Date()
	return time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
}
