package season

import (
	"context"
	"fmt"
	"slices"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/snapshot"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// pastYears is how many seasons the season page shows behind this one.
const pastYears = 3

// Band is the season band on every page.
type Band struct {
	Group   string
	Groups  []store.SeasonGroup
	Today   time.Time
	Spans   []season.Span
	Now     season.Span // the stretch that holds today
	Windows []Window
}

// Window is how a technique stands today.
type Window struct {
	Technique string
	Standing  technique.Standing
}

// Open names the techniques whose window is open.
func (b Band) Open() []string {
	var out []string
	for _, w := range b.Windows {
		if w.Standing.Verdict != technique.Shut {
			out = append(out, w.Technique)
		}
	}
	return out
}

// SeasonBand draws up the band for a season group; an unknown one gives the
// first.
func (s *Stage) SeasonBand(ctx context.Context, group string) (Band, error) {
	f, err := s.Facts(ctx)
	if err != nil {
		return Band{}, err
	}
	return BandOf(f, group), nil
}

// BandOf draws up the band for a season group; an unknown one gives the first.
func BandOf(f *snapshot.Snapshot, group string) Band {
	b := Band{Today: f.Today, Groups: f.Groups}
	if group == "" { // nobody chose one: that of what the house grows
		for _, g := range f.Genera {
			if f.Grown[g.Key] {
				group = g.SeasonGroup
				break
			}
		}
	}
	if len(b.Groups) == 0 {
		return b
	}
	b.Group = b.Groups[0].Key
	if slices.ContainsFunc(b.Groups, func(g store.SeasonGroup) bool { return g.Key == group }) {
		b.Group = group
	}
	c := f.Around(b.Group)
	b.Spans = c.Between(yearStart(b.Today), yearStart(b.Today).AddDate(1, 0, 0))
	b.Now, _ = c.StockOn(b.Today)
	for _, t := range f.Techniques {
		b.Windows = append(b.Windows, Window{t.Name, t.Standing(c, nil, technique.OnBench, b.Today)})
	}
	return b
}

func yearStart(t time.Time) time.Time { return time.Date(t.Year(), 1, 1, 0, 0, 0, 0, time.UTC) }

// AnchorLine is an anchor with its usual date and this year's.
type AnchorLine struct {
	Index  int
	Kind   string
	Usual  time.Time
	Spread int
	Source string
	This   season.Dated
	Has    bool // a usual date is set
}

// SeasonRow is a technique's windows in the year.
type SeasonRow struct {
	Technique technique.Technique
	Windows   []technique.Window
	Standing  technique.Standing
}

// PastYear is a season behind this one.
type PastYear struct {
	Year  int
	Spans []season.Span
}

// SeasonPage is what the season page shows.
type SeasonPage struct {
	Band
	Name        string
	Genera      []string
	Rests       bool
	From        time.Time // of the year drawn
	Anchors     []AnchorLine
	Wood        map[string][]season.Span // by state
	Rows        []SeasonRow
	Past        []PastYear
	Seen        []store.Seen
	Sights      []string
	Normals     []store.Normal
	Warm, Usual []float64 // degree-days day by day from WarmFrom; Warm as far as they were read
	WarmFrom    time.Time
	WeatherTo   time.Time // the last day read; zero for none
}

// Season gathers the season page of a group.
func (s *Stage) Season(ctx context.Context, group string) (SeasonPage, error) {
	q := s.DB.Q()
	var p SeasonPage
	f, err := s.Facts(ctx)
	if err != nil {
		return p, err
	}
	p.Band = BandOf(f, group)
	if p.Group != group {
		return p, fmt.Errorf("season group %q: %w", group, nursery.ErrNotFound)
	}
	for _, g := range p.Groups {
		if g.Key == group {
			p.Name, p.Rests = g.Name, g.Rests
		}
	}
	for _, g := range f.Genera {
		if g.SeasonGroup == group {
			p.Genera = append(p.Genera, g.Name)
		}
	}
	p.From = yearStart(p.Today)
	this := p.Today.Year()
	y, known, err := snapshot.Past(ctx, q, group, this-pastYears, this+1)
	if err != nil {
		return p, err
	}
	p.anchors(y)
	c := y.Calendar(this-1, this+1)
	end := p.From.AddDate(1, 0, 0)
	for _, t := range f.Techniques {
		row := SeasonRow{Technique: t, Standing: t.Standing(c, nil, technique.OnBench, p.Today)}
		for _, w := range t.Windows(c, nil, technique.OnBench) {
			if w.From.Before(end) && w.To.After(p.From) {
				row.Windows = append(row.Windows, w)
			}
		}
		p.Rows = append(p.Rows, row)
	}
	p.Wood = map[string][]season.Span{}
	for _, state := range []string{season.Resting, season.RipeGreen} {
		p.Wood[state] = c.WoodSpans(state)
	}
	for yr := this - 1; yr >= this-pastYears && y.Moved(yr); yr-- {
		p.Past = append(p.Past, PastYear{Year: yr, Spans: y.Band(yr)})
	}
	if p.Seen, err = q.SeenOf(ctx, group, p.Today.AddDate(-1, 0, 0)); err != nil {
		return p, err
	}
	for _, x := range season.Sights {
		if p.Rests != (x.Says == season.FreshFlush) {
			p.Sights = append(p.Sights, x.Says)
		}
	}
	p.warmth(y, known)
	p.Normals, err = q.Normals(ctx)
	return p, err
}

func (p *SeasonPage) anchors(y season.Year) {
	kinds := season.Kinds
	if !p.Rests {
		kinds = season.KindsNoRest
	}
	for i, kind := range kinds {
		l := AnchorLine{Index: i, Kind: kind, Spread: 8, Source: working.HouseDefault}
		for _, a := range y.Anchors {
			if a.Kind == kind {
				l.Has, l.Spread, l.Source = true, a.SpreadDays, a.Source
				l.Usual = time.Date(p.From.Year(), time.Month(a.Month), a.Day, 0, 0, 0, 0, time.UTC)
			}
		}
		for _, d := range y.Dated {
			if d.Kind == kind && d.Usual.Equal(l.Usual) {
				l.This = d
			}
		}
		if l.This.On.IsZero() {
			l.This = season.Dated{Kind: kind, Usual: l.Usual, On: l.Usual}
		}
		p.Anchors = append(p.Anchors, l)
	}
}

// warmth adds up this season's degree-days beside a usual year's.
func (p *SeasonPage) warmth(y season.Year, k season.Known) {
	if !p.Rests {
		return
	}
	w, ok := y.WarmthOf(k, p.Today)
	if !ok {
		return
	}
	p.WarmFrom = w.From
	for _, d := range k.Weather {
		if d.On.After(p.WeatherTo) {
			p.WeatherTo = d.On
		}
	}
	warm, usual := 0.0, 0.0
	for d := w.From; !d.After(w.From.AddDate(0, 0, 150)); d = d.AddDate(0, 0, 1) {
		p.Usual = append(p.Usual, usual)
		usual += w.Normals.DegreeDays(d)
		if !d.After(p.WeatherTo) {
			p.Warm = append(p.Warm, warm)
			x, _ := w.On(d)
			warm += x
		}
	}
}

// Working shows how an anchor's date of this year was come by.
func (l AnchorLine) Working() working.Working {
	if !l.Has {
		return working.Working{}
	}
	w := working.Working{Title: words.Capital(l.Kind) + words.ThisYear, Answer: season.Say(l.This.On), Rule: words.ThisYearsDates,
		Says: words.TheUsualDateIsWhere,
		Inputs: []working.Input{
			{
				Name:   "Usual date",
				Value:  fmt.Sprintf(words.XGiveOrTakeN, season.Say(l.Usual), l.Spread),
				Source: l.Source,
			},
		}}
	if !l.This.Low.IsZero() {
		w.Range = season.Say(l.This.Low) + " to " + season.Say(l.This.High)
	}
	for _, m := range l.This.Moves {
		w.Inputs = append(w.Inputs, working.Input{Name: "Moved by " + DaysOff(m.Days), Value: words.SightMoved(m), Source: m.Source})
	}
	return w
}

// DaysOff says by how many days a date is off its usual one.
func DaysOff(n int) string {
	switch {
	case n == 0:
		return "no day"
	case n == 1, n == -1:
		return map[bool]string{true: words.DayLater, false: words.DayEarlier}[n > 0]
	case n > 0:
		return fmt.Sprintf(words.NDaysLater, n)
	}
	return fmt.Sprintf(words.NDaysEarlier, -n)
}
