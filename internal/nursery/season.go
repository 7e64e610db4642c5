package nursery

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"unionknot/internal/core/season"
	"unionknot/internal/core/technique"
	"unionknot/internal/core/working"
	"unionknot/internal/store"
)

// pastYears is how many seasons the season page shows behind this one.
const pastYears = 3

// almanac reads years, the weather once for all groups.
type almanac struct {
	s       *Service
	q       store.Q
	rests   map[string]bool
	weather season.Known
	years   map[string]season.Year
}

func (s *Service) almanac(q store.Q) *almanac {
	return &almanac{s: s, q: q, years: map[string]season.Year{}}
}

// year reads a season group's anchors, with the dates of this year and the ones
// beside it as warmth and what was seen move them.
func (a *almanac) year(ctx context.Context, group string) (season.Year, error) {
	if y, ok := a.years[group]; ok {
		return y, nil
	}
	this := a.s.Today().Year()
	y, err := a.span(ctx, group, this-1, this+1)
	a.years[group] = y
	return y, err
}

// span dates a group's anchors from one year to another.
func (a *almanac) span(ctx context.Context, group string, first, last int) (season.Year, error) {
	y := season.Year{Group: group}
	from := time.Date(first-1, time.July, 1, 0, 0, 0, 0, time.UTC)
	if a.rests == nil {
		gs, err := a.q.SeasonGroups(ctx)
		if err != nil {
			return y, err
		}
		a.rests = map[string]bool{}
		for _, g := range gs {
			a.rests[g.Key] = g.Rests
		}
		if a.weather, err = a.s.weather(ctx, a.q, from); err != nil {
			return y, err
		}
	}
	rests, known := a.rests[group]
	y.NoRest = known && !rests
	as, err := a.q.Anchors(ctx, group)
	if err != nil {
		return y, err
	}
	for _, x := range as {
		y.Anchors = append(y.Anchors, season.Anchor{Kind: x.Kind, Month: x.Month, Day: x.Day, SpreadDays: x.SpreadDays, Source: x.Source})
	}
	k := a.weather
	seen, err := a.q.SeenOf(ctx, group, from)
	for _, o := range seen {
		k.Seen = append(k.Seen, season.Observation{Says: o.Says, On: o.On, Place: o.Place})
	}
	return y.With(k, first, last), err
}

// yearOf reads one group's year.
func (s *Service) yearOf(ctx context.Context, q store.Q, group string) (season.Year, error) {
	return s.almanac(q).year(ctx, group)
}

// weather reads the site's usual temperatures and its days from one on.
func (s *Service) weather(ctx context.Context, q store.Q, from time.Time) (season.Known, error) {
	var k season.Known
	ns, err := q.Normals(ctx)
	if err != nil {
		return k, err
	}
	for _, n := range ns {
		k.Normals[n.Month-1] = n.MeanC
	}
	ws, err := q.Weather(ctx, from)
	for _, w := range ws {
		k.Weather = append(k.Weather, season.DegreeDay{On: w.On, MeanC: w.MeanC, LowC: w.LowC})
	}
	return k, err
}

// Band is the season band on every page.
type Band struct {
	Group   string
	Groups  []store.SeasonGroup
	Today   time.Time
	Spans   []season.Span
	Now     season.Span // the stretch that holds today
	Moved   []season.Dated
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
func (s *Service) SeasonBand(ctx context.Context, group string) (Band, error) {
	q := s.db.Q()
	b := Band{Today: s.Today()}
	var err error
	if b.Groups, err = q.SeasonGroups(ctx); err != nil || len(b.Groups) == 0 {
		return b, err
	}
	b.Group = b.Groups[0].Key
	if slices.ContainsFunc(b.Groups, func(g store.SeasonGroup) bool { return g.Key == group }) {
		b.Group = group
	}
	y, err := s.yearOf(ctx, q, b.Group)
	if err != nil {
		return b, err
	}
	c := y.Around(b.Today)
	b.Spans = c.Between(yearStart(b.Today), yearStart(b.Today).AddDate(1, 0, 0))
	b.Now, _ = c.StockOn(b.Today)
	ts, err := s.techniques(ctx, q)
	for _, t := range ts {
		b.Windows = append(b.Windows, Window{t.Name, t.Standing(c, nil, b.Today)})
	}
	return b, err
}

// ShutSays gives why a technique is shut, and when it opens.
func ShutSays(s technique.Standing) string {
	if s.Opens.IsZero() {
		return s.Why
	}
	return s.Why + "; opens " + season.Say(s.Opens)
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
	Dated []season.Dated
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
func (s *Service) Season(ctx context.Context, group string) (SeasonPage, error) {
	q := s.db.Q()
	var p SeasonPage
	var err error
	if p.Band, err = s.SeasonBand(ctx, group); err != nil {
		return p, err
	}
	if p.Group != group {
		return p, fmt.Errorf("season group %q: %w", group, ErrNotFound)
	}
	for _, g := range p.Groups {
		if g.Key == group {
			p.Name, p.Rests = g.Name, g.Rests
		}
	}
	gs, err := q.Genera(ctx)
	if err != nil {
		return p, err
	}
	for _, g := range gs {
		if g.SeasonGroup == group {
			p.Genera = append(p.Genera, g.Name)
		}
	}
	p.From = yearStart(p.Today)
	this := p.Today.Year()
	book := s.almanac(q)
	y, err := book.span(ctx, group, this-pastYears, this+1)
	if err != nil {
		return p, err
	}
	p.anchors(y)
	c := y.Calendar(this-1, this+1)
	ts, err := s.techniques(ctx, q)
	if err != nil {
		return p, err
	}
	end := p.From.AddDate(1, 0, 0)
	for _, t := range ts {
		row := SeasonRow{Technique: t, Standing: t.Standing(c, nil, p.Today)}
		for _, w := range t.Windows(c, nil) {
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
		past := PastYear{Year: yr, Spans: y.Band(yr)}
		for _, d := range y.Dated {
			if d.Usual.Year() == yr {
				past.Dated = append(past.Dated, d)
			}
		}
		p.Past = append(p.Past, past)
	}
	if p.Seen, err = q.SeenOf(ctx, group, p.Today.AddDate(-1, 0, 0)); err != nil {
		return p, err
	}
	for _, x := range season.Sights {
		if p.Rests != (x.Says == season.FreshFlush) {
			p.Sights = append(p.Sights, x.Says)
		}
	}
	p.warmth(y, book.weather)
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
	w := working.Working{Title: capital(l.Kind) + ", this year", Answer: season.Say(l.This.On), Rule: "this year's dates",
		Says:   "The usual date is where the belief begins, with its spread. Warmth since the middle of rest moves the signs of spring; what somebody saw bounds the date, and outweighs the rest.",
		Inputs: []working.Input{{Name: "Usual date", Value: fmt.Sprintf("%s, give or take %d days in two years of three", season.Say(l.Usual), l.Spread), Source: l.Source}}}
	if !l.This.Low.IsZero() {
		w.Range = season.Say(l.This.Low) + " to " + season.Say(l.This.High)
	}
	for _, m := range l.This.Moves {
		w.Inputs = append(w.Inputs, working.Input{Name: "Moved by " + DaysOff(m.Days), Value: m.Why, Source: m.Source})
	}
	return w
}

// DaysOff says by how many days a date is off its usual one.
func DaysOff(n int) string {
	switch {
	case n == 0:
		return "no day"
	case n == 1, n == -1:
		return map[bool]string{true: "1 day later", false: "1 day earlier"}[n > 0]
	case n > 0:
		return fmt.Sprintf("%d days later", n)
	}
	return fmt.Sprintf("%d days earlier", -n)
}

// NewSeen is what is asked to note what was seen of the season.
type NewSeen struct {
	Says, Place, Note string
	On                time.Time
}

// NoteSeen keeps what somebody saw of a group's season, which moves its dates.
func (s *Service) NoteSeen(ctx context.Context, a Actor, group string, n NewSeen) error {
	if err := a.must(Propagator, BenchHand); err != nil {
		return err
	}
	if n.On.IsZero() {
		n.On = s.Today()
	}
	var ps Problems
	if !slices.ContainsFunc(season.Sights, func(x season.Sight) bool { return x.Says == n.Says }) {
		ps.add("says", "Choose what was seen from the list.")
	}
	if n.On.After(s.Today()) {
		ps.add("on", "That day is still to come: note it when it is seen.")
	}
	if n.On.Before(s.Today().AddDate(-pastYears, 0, 0)) {
		ps.add("on", "That is more than %d years ago.", pastYears)
	}
	if len(n.Place) > 60 || len(n.Note) > 400 {
		ps.add("place", "Keep the place under 60 letters and the note under 400.")
	}
	if err := ps.orNil(); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		if again, err := sentBefore(ctx, q, "seen"); err != nil || again {
			return err
		}
		gs, err := q.SeasonGroups(ctx)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(gs, func(g store.SeasonGroup) bool { return g.Key == group }) {
			return fmt.Errorf("season group %q: %w", group, ErrNotFound)
		}
		if _, err := q.AddSeen(ctx, store.Seen{Group: group, Says: n.Says, On: n.On, Place: strings.TrimSpace(n.Place), Note: strings.TrimSpace(n.Note), PersonID: a.ID, At: s.Now()}); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "season", group, "noted", nil, n)
	})
}

// DropSeen takes back a note of what was seen and gives its group.
func (s *Service) DropSeen(ctx context.Context, a Actor, id int64) (string, error) {
	if err := a.must(Propagator); err != nil {
		return "", err
	}
	group := ""
	err := s.db.Tx(ctx, func(q store.Q) error {
		seen, err := q.DropSeen(ctx, id, s.Now())
		if err != nil {
			return err
		}
		group = seen.Group
		return s.changed(ctx, q, a, "season", group, "took back", seen.Says, nil)
	})
	return group, err
}

// UsualDate is a usual date as it was typed.
type UsualDate struct {
	Kind   string
	Text   string // "5 March"
	Spread int
}

// ParseUsual reads a day of any year: 5 March, 5 Mar or 03-05.
func ParseUsual(text string) (month, day int, err error) {
	for _, layout := range []string{"2 January", "2 Jan", "01-02"} {
		if t, err := time.Parse("2006 "+layout, "2028 "+strings.TrimSpace(text)); err == nil {
			return int(t.Month()), t.Day(), nil
		}
	}
	return 0, 0, Problem{"", "Type a day of the year, such as 5 March."}
}

// SetUsual keeps a group's usual dates. Those left empty stay as they were.
func (s *Service) SetUsual(ctx context.Context, a Actor, group string, ds []UsualDate) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	var ps Problems
	var as []store.Anchor
	for i, d := range ds {
		if strings.TrimSpace(d.Text) == "" {
			continue
		}
		field := fmt.Sprintf("on-%d", i)
		m, day, err := ParseUsual(d.Text)
		if err != nil {
			ps.add(field, "Type a day of the year, such as 5 March.")
		}
		if d.Spread < 0 || d.Spread > 60 {
			ps.add(field, "Years differ by 0 to 60 days.")
		}
		as = append(as, store.Anchor{Group: group, Kind: d.Kind, Month: m, Day: day, SpreadDays: d.Spread, Source: working.Entered})
	}
	if len(ps) == 0 {
		ps = checkOrder(as)
	}
	if err := ps.orNil(); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		was, err := q.Anchors(ctx, group)
		if err != nil {
			return err
		}
		var before, after []store.Anchor
		for _, n := range as {
			i := slices.IndexFunc(was, func(w store.Anchor) bool { return w.Kind == n.Kind })
			if i >= 0 && was[i].Month == n.Month && was[i].Day == n.Day && was[i].SpreadDays == n.SpreadDays {
				continue
			}
			if i >= 0 {
				before = append(before, was[i])
			}
			after = append(after, n)
			if err := q.SetAnchor(ctx, n); err != nil {
				return err
			}
		}
		if len(after) == 0 {
			return nil
		}
		return s.changed(ctx, q, a, "season", group, "usual dates changed", before, after)
	})
}

// checkOrder sees that the turns of the year follow each other in the round:
// rest, swell, slip, its end, and rest again.
func checkOrder(as []store.Anchor) Problems {
	at := map[string]int{}
	for _, a := range as {
		at[a.Kind] = time.Date(2028, time.Month(a.Month), a.Day, 0, 0, 0, 0, time.UTC).YearDay()
	}
	round := []string{season.RestBegins, season.BudSwell, season.SlipBegins, season.SlipEnds}
	sum := 0
	for i, k := range round {
		next := round[(i+1)%len(round)]
		if at[k] == 0 || at[next] == 0 {
			return nil
		}
		sum += (at[next] - at[k] + 366) % 366
	}
	if sum != 366 {
		return Problems{{"", "The year does not go round so: rest begins, buds swell, bark slips, and its slipping ends, in this order. Look at the dates again."}}
	}
	return nil
}

// Site kinds that the shipped dates can be set for.
const (
	SiteNorth = "north"
	SiteSouth = "south"
)

// ShipSeason sets every group's dates and the usual temperatures back to the
// house defaults, for a site north or south of the line.
func (s *Service) ShipSeason(ctx context.Context, a Actor, site string) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	turn := map[string]int{SiteNorth: 0, SiteSouth: 6}
	by, ok := turn[site]
	if !ok {
		return Problem{"site", "Choose north or south of the line."}
	}
	north := season.Normals{2.5, 3, 5.5, 8.5, 12, 15, 17, 16.8, 14, 10, 6, 3.5}
	return s.db.Tx(ctx, func(q store.Q) error {
		gs, err := q.SeasonGroups(ctx)
		if err != nil {
			return err
		}
		for _, g := range gs {
			as, err := q.ShippedAnchors(ctx, g.Key)
			if err != nil {
				return err
			}
			for _, x := range as {
				x.Month = (x.Month-1+by)%12 + 1
				x.Day = min(x.Day, 28) // every month has it
				if err := q.SetAnchor(ctx, x); err != nil {
					return err
				}
			}
		}
		for m := range 12 {
			if err := q.SetNormal(ctx, store.Normal{Month: m + 1, MeanC: north[(m+by)%12], Source: working.HouseDefault}); err != nil {
				return err
			}
		}
		return s.changed(ctx, q, a, "season", "all", "set to the house defaults", nil, site)
	})
}

// SetRests says whether a group takes a rest at this site.
func (s *Service) SetRests(ctx context.Context, a Actor, group string, rests bool) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		if err := q.SetRests(ctx, group, rests); err != nil {
			return err
		}
		return s.changed(ctx, q, a, "season", group, map[bool]string{true: "rests", false: "takes no rest"}[rests], nil, nil)
	})
}

// SetNormals keeps the site's usual temperatures, January first.
func (s *Service) SetNormals(ctx context.Context, a Actor, n [12]float64) error {
	if err := a.must(Propagator); err != nil {
		return err
	}
	for m, c := range n {
		if c < -40 || c > 45 {
			return Problem{fmt.Sprintf("c-%d", m+1), "A month's mean lies between -40 and 45 °C."}
		}
	}
	return s.db.Tx(ctx, func(q store.Q) error {
		was, err := q.Normals(ctx)
		if err != nil {
			return err
		}
		for m, c := range n {
			if m < len(was) && was[m].MeanC == c {
				continue
			}
			if err := q.SetNormal(ctx, store.Normal{Month: m + 1, MeanC: c, Source: working.Entered}); err != nil {
				return err
			}
		}
		return s.changed(ctx, q, a, "season", "temperatures", "changed", was, n)
	})
}

// UsualTemperatures are the site's, January first.
func (s *Service) UsualTemperatures(ctx context.Context) (n season.Normals, err error) {
	rows, err := s.db.Q().Normals(ctx)
	for _, r := range rows {
		n[r.Month-1] = r.MeanC
	}
	return n, err
}

// errNoDays is given for a feed that had nothing.
var errNoDays = errors.New("the weather feed had no days")

// AddWeather keeps the days of a feed; those here already stay. source is one
// of "feed" and "simulated feed".
func (s *Service) AddWeather(ctx context.Context, a Actor, days []season.DegreeDay, source string) (int, error) {
	if err := a.must(Propagator); err != nil {
		return 0, err
	}
	if len(days) == 0 {
		return 0, errNoDays
	}
	ws := make([]store.WeatherDay, 0, len(days))
	for _, d := range days {
		if !d.On.After(s.Today()) {
			ws = append(ws, store.WeatherDay{On: season.DayOf(d.On), MeanC: d.MeanC, LowC: min(d.LowC, d.MeanC), Source: source})
		}
	}
	n := 0
	err := s.db.Tx(ctx, func(q store.Q) error {
		var err error
		if n, err = q.AddWeather(ctx, ws); err != nil || n == 0 {
			return err
		}
		return s.changed(ctx, q, a, "weather", source, "sent", nil, map[string]any{"days": n})
	})
	return n, err
}
