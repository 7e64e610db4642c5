package outlook

import (
	"fmt"
	"slices"
	"time"

	"unionknot/internal/core/benchday"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// DayTag is a run of like tags of one hand in one half-day.
type DayTag struct {
	Codes     []string
	Grafts    int
	Left      int
	Batch     string
	Variety   string
	StockType string
	Technique string
	Short     string // a word for it
	Lot       string
	Bundle    string
	Locked    bool
	Started   bool
	Late      bool
	Span      technique.Span
}

// DayCell is a hand's half-day.
type DayCell struct {
	Day    time.Time
	Half   int
	Hours  float64 // usable
	Used   float64
	Runs   []DayTag
	Says   []string // what is wrong with it
	Before bool     // over already
}

// DayRow is a hand's days.
type DayRow struct {
	Hand  Hand
	Cells []DayCell
	Work  float64 // hours planned over the days shown
}

// NotPlaced is work that is on no tag yet.
type NotPlaced struct {
	Batch, Variety, Technique, Lot, Bundle string
	Grafts                                 int
	Span                                   technique.Span
	Lack                                   benchday.Lack // why no half-day takes it, once a plan was tried
}

// DaysPage is the plan of the bench days.
type DaysPage struct {
	From, Next, Back time.Time
	Days             []time.Time
	Rows             []DayRow
	Rest             []NotPlaced // on no tag yet
	RestGrafts       int
	Open             int // grafts on open tags
	Score            benchday.Plan
	Working          working.Working
	Alone            []string
	Undo             bool // a plan can be taken back
	LateDays         float64
	Budding          []Budding // species in their turn, by summer
}

// BenchDaysOf lays the open work out on the days from one on; a zero day, or one
// beyond the plan, is today.
func BenchDaysOf(f *snapshot.Snapshot, from time.Time) DaysPage {
	var p DaysPage
	d := DiaryOf(f, true)
	if from.IsZero() || from.Before(d.from) || from.After(d.from.AddDate(0, 0, DaysPlanned)) {
		from = d.from
	}
	p.From = from
	var pieces []benchday.Piece
	var left []benchday.Left
	for i, j := range d.Work.Jobs {
		if j.Fixed {
			pieces = append(
				pieces,
				benchday.Piece{Job: i, Hand: j.Hand, Slot: j.Slot, Grafts: j.Grafts,
					Hours: float64(j.Grafts) * (1/d.Work.Rate[j.Technique] + j.Prepare)},
			)
		} else {
			left = append(left, benchday.Left{Job: i, Grafts: j.Grafts})
		}
	}
	p.Score = benchday.Score(d.Work, pieces, nil)
	p.Alone = p.Score.Alone
	for _, l := range left {
		j := d.Work.Jobs[l.Job]
		n := NotPlaced{
			Batch:     j.Batch,
			Technique: d.Names[j.Technique],
			Lot:       j.Lot,
			Bundle:    j.Bundle,
			Grafts:    l.Grafts,
			Span:      d.Spans[l.Job],
		}
		if r := d.Rest[l.Job]; len(r) > 0 {
			n.Variety = r[0].Variety
		} else {
			n.Variety = d.Tags[d.TagOf[l.Job]].Variety
		}
		p.Rest = append(p.Rest, n)
		p.RestGrafts += l.Grafts
	}
	p.lay(d, f.Today)
	p.explain(d)
	return p
}

// lay puts the tags into the days shown: those on which anybody is there.
func (p *DaysPage) lay(d *Diary, today time.Time) {
	works := func(day time.Time) bool {
		for _, h := range d.Hands {
			if h.HoursOn(day, 1)+h.HoursOn(day, 2) > 0 {
				return true
			}
		}
		return slices.ContainsFunc(d.Tags, func(t store.Tag) bool { return t.Day.Equal(day) })
	}
	end := p.From
	for ; len(p.Days) < daysShown && end.Before(p.From.AddDate(0, 0, DaysPlanned)); end = end.AddDate(0, 0, 1) {
		if works(end) {
			p.Days = append(p.Days, end)
		}
	}
	if len(p.Days) == 0 { // nobody has hours: show a week all the same
		for i := range 7 {
			p.Days = append(p.Days, p.From.AddDate(0, 0, i))
		}
		end = p.From.AddDate(0, 0, 7)
	}
	if end.Before(d.from.AddDate(0, 0, DaysPlanned)) {
		p.Next = end
	}
	if p.From.After(d.from) {
		p.Back = p.From.AddDate(0, 0, -14)
	}
	trouble := map[int][]string{}
	for _, t := range benchday.Check(d.Work, p.Score.Pieces) {
		if t.Piece >= 0 && t.Kind != benchday.Late {
			trouble[t.Piece] = append(trouble[t.Piece], words.Trouble(t))
		}
	}
	for h, hand := range d.Hands {
		row := DayRow{Hand: hand}
		for _, day := range p.Days {
			for half := 1; half <= 2; half++ {
				slot := d.Slot(day, half)
				c := DayCell{Day: day, Half: half, Before: slot < d.Now}
				if slot < d.Work.Slots {
					c.Hours = d.Work.Hands[h].Hours[max(0, slot)]
				}
				for i, x := range p.Score.Pieces {
					if x.Hand == h && x.Slot == slot {
						c.add(d, x)
						c.Used += x.Hours / hand.Speed.Mean
						for _, says := range trouble[i] {
							if !slices.Contains(c.Says, says) {
								c.Says = append(c.Says, says)
							}
						}
					}
				}
				for _, name := range d.TierAway(h, slot) {
					c.Says = append(c.Says, words.TierAway(name))
				}
				row.Work += c.Used
				row.Cells = append(row.Cells, c)
			}
		}
		if hand.WeekHours() > 0 || row.Work > 0 {
			p.Rows = append(p.Rows, row)
		}
	}
	for _, x := range p.Score.Pieces {
		p.Open += x.Grafts
	}
}

// add lays a tag next to its like.
func (c *DayCell) add(d *Diary, x benchday.Piece) {
	t := d.Tags[d.TagOf[x.Job]]
	late := x.Slot > d.Work.Jobs[x.Job].Latest
	if n := len(c.Runs); n > 0 {
		r := &c.Runs[n-1]
		if r.Batch == t.Batch && r.Lot == t.Lot && r.Bundle == t.Bundle && r.Technique == t.TechniqueName && r.Locked == t.Locked &&
			r.Started == (t.StartedAt != nil) {
			r.Codes, r.Grafts, r.Left, r.Late = append(r.Codes, t.Code), r.Grafts+t.Planned, r.Left+x.Grafts, r.Late || late
			return
		}
	}
	c.Runs = append(
		c.Runs,
		DayTag{
			Codes:     []string{t.Code},
			Grafts:    t.Planned,
			Left:      x.Grafts,
			Batch:     t.Batch,
			Variety:   t.Variety,
			StockType: t.StockType,
			Technique: t.TechniqueName,
			Short:     words.TechniqueShort(t.Technique),
			Lot:       t.Lot,
			Bundle:    t.Bundle,
			Locked:    t.Locked,
			Started:   t.StartedAt != nil,
			Late:      late,
			Span:      d.Spans[x.Job],
		},
	)
}

func (p *DaysPage) explain(d *Diary) {
	hours, hands := 0.0, 0
	classes := d.F.Classes()
	for h := range d.Hands {
		if classes[d.Hands[h].Person.ID] {
			continue // they work at their own tags alone
		}
		sum := 0.0
		for s := range d.Work.Slots {
			sum += d.Work.Hands[h].Hours[s] * d.Work.Hands[h].Speed
		}
		if sum > 0 {
			hours, hands = hours+sum, hands+1
		}
	}
	perDay := 0.0
	if hands > 0 {
		perDay = hours / float64(hands) / (DaysPlanned * 5.0 / 7)
	}
	if perDay > 0 {
		p.LateDays = p.Score.LateHours / perDay
	}
	p.Working = working.Working{
		Title:  words.ThePlanOfTheBench,
		Answer: fmt.Sprintf(words.NGraftsOnOpenTags, p.Open, p.Score.Late),
		Rule:   "bench days",
		Range:  words.LeastLate(p.Score.LeastLate, p.RestGrafts),
		Says:   words.EachTagTakesItsGrafts,
		Inputs: []working.Input{
			{
				Name:   words.HoursThereAre,
				Value:  fmt.Sprintf(words.NAtTheHousesRates, hours, hands, DaysPlanned),
				Source: working.OwnRecords,
			},
			{Name: words.ChangesOfLotOrBundle, Value: fmt.Sprint(p.Score.Changeovers), Source: working.OwnRecords},
			{Name: "Seats", Value: fmt.Sprint(d.Work.Seats), Source: working.Entered},
		},
	}
}
