package season

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"unionknot/internal/core/season"
	"unionknot/internal/core/working"
	"unionknot/internal/nursery"
	"unionknot/internal/store"
	"unionknot/internal/words"
)

// NewSeen is what is asked to note what was seen of the season.
type NewSeen struct {
	Says, Place, Note string
	On                time.Time
	Soil              string // of a test of the bark: wet, dry, or not known
	Sure              bool   // it was looked at again: far from the usual day, it is kept all the same
}

// NoteSeen keeps what somebody saw of a group's season, which moves its dates.
func (s *Stage) NoteSeen(ctx context.Context, a nursery.Actor, group string, n NewSeen) error {
	if err := a.Must(nursery.Propagator, nursery.BenchHand); err != nil {
		return err
	}
	if n.On.IsZero() {
		n.On = s.Today()
	}
	var ps nursery.Problems
	if !slices.ContainsFunc(season.Sights, func(x season.Sight) bool { return x.Says == n.Says }) {
		ps.Add("says", words.ChooseWhatWasSeenFrom)
	}
	if n.On.After(s.Today()) {
		ps.Add("on", words.ThatDayIsStillTo)
	}
	if n.On.Before(s.Today().AddDate(-pastYears, 0, 0)) {
		ps.Add("on", words.ThatIsMoreThanN, pastYears)
	}
	if utf8.RuneCountInString(n.Place) > 60 || utf8.RuneCountInString(n.Note) > 400 {
		ps.Add("place", words.KeepThePlaceUnder60)
	}
	if n.Soil != "" && n.Soil != season.SoilWet && n.Soil != season.SoilDry {
		ps.Add("soil", words.TheSoilWasWetOr)
	}
	if err := ps.Err(); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if err := isGroup(ctx, q, group); err != nil {
			return err
		}
		if err := s.doubt(ctx, q, group, n); err != nil {
			return err
		}
		if again, err := nursery.SentBefore(ctx, q, "seen"); err != nil || again {
			return err
		}
		if _, err := q.AddSeen(ctx, store.Seen{Group: group, Says: n.Says, On: n.On, Soil: n.Soil, Place: strings.TrimSpace(n.Place),
			Note: strings.TrimSpace(n.Note), PersonID: a.ID, At: s.Now()}); err != nil {
			return err
		}
		return s.Changed(ctx, q, a, "season", group, "noted", nil, n)
	})
}

// doubt asks back before a sight is kept that lies far from its usual day, and
// how the soil was where bark that slipped does not any more.
func (s *Stage) doubt(ctx context.Context, q store.Q, group string, n NewSeen) error {
	if n.Sure {
		return nil
	}
	as, err := q.Anchors(ctx, group)
	if err != nil {
		return err
	}
	var y season.Year
	for _, x := range as {
		y.Anchors = append(y.Anchors, season.Anchor{Kind: x.Kind, Month: x.Month, Day: x.Day, SpreadDays: x.SpreadDays})
	}
	rows, err := q.SeenOf(ctx, group, n.On.AddDate(-1, 0, 0))
	if err != nil {
		return err
	}
	var seen []season.Observation
	for _, r := range rows {
		seen = append(seen, season.Observation{Says: r.Says, On: r.On, Soil: r.Soil})
	}
	o := season.Observation{Says: n.Says, On: n.On, Soil: n.Soil}
	if d := y.Doubt(o, seen); d != nil {
		says := words.SightDoubted(*d)
		if n.Says == season.DoesNotSlip && n.Soil == "" {
			return nursery.Problem{Field: "soil", Says: says + words.WasTheSoilWetIn}
		}
		if n.Says == season.DoesNotSlip && n.Soil == season.SoilDry {
			return nil // drought: it moves no date
		}
		return nursery.Problem{Field: "sure", Says: says + words.LookAtTheDayAnd}
	}
	return nil
}

func isGroup(ctx context.Context, q store.Q, group string) error {
	gs, err := q.SeasonGroups(ctx)
	if err == nil && !slices.ContainsFunc(gs, func(g store.SeasonGroup) bool { return g.Key == group }) {
		err = fmt.Errorf("season group %q: %w", group, nursery.ErrNotFound)
	}
	return err
}

// DropSeen takes back a note of what was seen and gives its group.
func (s *Stage) DropSeen(ctx context.Context, a nursery.Actor, id int64) (string, error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return "", err
	}
	group := ""
	err := s.DB.Tx(ctx, func(q store.Q) error {
		seen, err := q.DropSeen(ctx, id, s.Now())
		if err != nil {
			return err
		}
		group = seen.Group
		return s.Changed(ctx, q, a, "season", group, "took back", seen.Says, nil)
	})
	return group, err
}

// KeepSeen lets a sight stand again that was taken back.
func (s *Stage) KeepSeen(ctx context.Context, a nursery.Actor, id int64) (group string, err error) {
	if err := a.Must(nursery.Propagator); err != nil {
		return "", err
	}
	err = s.DB.Tx(ctx, func(q store.Q) error {
		seen, err := q.KeepSeen(ctx, id, s.Now().Add(-nursery.BackWithin))
		if err != nil {
			return err
		}
		group = seen.Group
		return s.Changed(ctx, q, a, "season", group, "stands again", nil, seen.Says)
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
	return 0, 0, nursery.Problem{Field: "", Says: words.TypeADayOfThe}
}

// SetUsual keeps a group's usual dates. Those left empty stay as they were.
func (s *Stage) SetUsual(ctx context.Context, a nursery.Actor, group string, ds []UsualDate) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	var ps nursery.Problems
	var as []store.Anchor
	for i, d := range ds {
		if strings.TrimSpace(d.Text) == "" {
			continue
		}
		field := fmt.Sprintf("on-%d", i)
		m, day, err := ParseUsual(d.Text)
		if err != nil {
			ps.Add(field, words.TypeADayOfThe)
		}
		if d.Spread < 0 || d.Spread > 60 {
			ps.Add(field, words.YearsDifferBy0To)
		}
		as = append(as, store.Anchor{Group: group, Kind: d.Kind, Month: m, Day: day, SpreadDays: d.Spread, Source: working.Entered})
	}
	if len(ps) == 0 {
		ps = checkOrder(as)
	}
	if err := ps.Err(); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if err := isGroup(ctx, q, group); err != nil {
			return err
		}
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
			if err := setAnchor(ctx, q, n); err != nil {
				return err
			}
		}
		if len(after) == 0 {
			return nil
		}
		return s.Changed(ctx, q, a, "season", group, words.UsualDatesChanged, before, after)
	})
}

// setAnchor keeps a usual date. Frost comes to the whole site, so its days are every group's.
func setAnchor(ctx context.Context, q store.Q, n store.Anchor) error {
	if n.Kind != season.FirstHardFrost && n.Kind != season.LastFrost {
		return q.SetAnchor(ctx, n)
	}
	gs, err := q.SeasonGroups(ctx)
	if err != nil {
		return err
	}
	for _, g := range gs {
		n.Group = g.Key
		if err := q.SetAnchor(ctx, n); err != nil {
			return err
		}
	}
	return nil
}

// checkOrder sees that the turns of the year follow each other in the round:
// rest, swell, slip, its end, and rest again.
func checkOrder(as []store.Anchor) nursery.Problems {
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
		return nursery.Problems{
			{
				Field: "",
				Says:  words.TheYearDoesNotGo,
			},
		}
	}
	return nil
}

// SetRests says whether a group takes a rest at this site.
func (s *Stage) SetRests(ctx context.Context, a nursery.Actor, group string, rests bool) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
		if err := isGroup(ctx, q, group); err != nil {
			return err
		}
		was, err := q.SetRests(ctx, group, rests)
		if err != nil {
			return err
		}
		says := map[bool]string{true: "rests", false: words.TakesNoRest}
		return s.Changed(ctx, q, a, "season", group, says[rests], says[was], says[rests])
	})
}

// SetNormals keeps the site's usual temperatures, January first.
func (s *Stage) SetNormals(ctx context.Context, a nursery.Actor, n [12]float64) error {
	if err := a.Must(nursery.Propagator); err != nil {
		return err
	}
	for m, c := range n {
		if c < -40 || c > 45 {
			return nursery.Problem{Field: fmt.Sprintf("c-%d", m+1), Says: words.AMonthsMeanLiesBetween}
		}
	}
	return s.DB.Tx(ctx, func(q store.Q) error {
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
		return s.Changed(ctx, q, a, "season", "temperatures", "changed", was, n)
	})
}

// UsualTemperatures are the site's, January first.
func (s *Stage) UsualTemperatures(ctx context.Context) (n season.Normals, err error) {
	rows, err := s.DB.Q().Normals(ctx)
	for _, r := range rows {
		n[r.Month-1] = r.MeanC
	}
	return n, err
}

// errNoDays is given for a feed that had nothing.
var errNoDays = errors.New("the weather feed had no days")

// AddWeather keeps the days of a feed; those here already stay. source is one
// of "feed" and "simulated feed".
func (s *Stage) AddWeather(ctx context.Context, a nursery.Actor, days []season.DegreeDay, source string) (int, error) {
	if err := a.Must(nursery.Propagator); err != nil {
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
	err := s.DB.Tx(ctx, func(q store.Q) error {
		var err error
		if n, err = q.AddWeather(ctx, ws); err != nil || n == 0 {
			return err
		}
		return s.Changed(ctx, q, a, "weather", source, "sent", nil, map[string]any{"days": n})
	})
	return n, err
}
